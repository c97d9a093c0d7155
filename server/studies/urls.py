"""Addresses of studies."""

from django.urls import path

from server.studies import api

urlpatterns = [
    path("studies/", api.studies),
    path("studies/preview/", api.preview),
    path("studies/<int:pk>/", api.study),
]
