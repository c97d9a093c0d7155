"""Addresses of findings."""

from django.urls import path

from server.findings import api

urlpatterns = [
    path("overview/", api.overview),
    path("pairs/<int:pk>/", api.pair),
    path("pairs/<int:pk>/brightness/", api.brightness),
    path("pairs/<int:pk>/verdicts/", api.verdicts),
    path("pairs/<int:pk>/export.json", api.export_json),
    path("pairs/<int:pk>/export.csv", api.export_csv),
    path("pairs/<int:pk>/export.zip", api.export_zip),
    path("verdicts/<int:pk>/", api.verdict),
    path("verdicts/<int:pk>/restore/", api.restore_verdict),
]
