"""Addresses of sharing."""

from django.urls import path

from server.sharing import api

urlpatterns = [
    path("studies/<int:pk>/report/", api.report),
    path("studies/<int:pk>/bundle.zip", api.bundle),
    path("pairs/<int:pk>/export.json", api.export_json),
    path("pairs/<int:pk>/export.csv", api.export_csv),
    path("pairs/<int:pk>/export.zip", api.export_zip),
    path("studies/import/", api.import_study),
]
