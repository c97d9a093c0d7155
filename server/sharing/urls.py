"""Addresses of sharing."""

from django.urls import path

from server.sharing import api

urlpatterns = [
    path("studies/<int:pk>/report/", api.report),
    path("studies/<int:pk>/bundle.zip", api.bundle),
    path("studies/import/", api.import_study),
]
