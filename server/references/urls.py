"""Addresses of references."""

from django.urls import path

from server.references import api

urlpatterns = [
    path("references/", api.references),
    path("references/from-option/", api.option_reference),
    path("references/<int:pk>/", api.reference),
    path("references/<int:pk>/restore/", api.restore_reference),
    path("references/<int:pk>/match/", api.match),
    path("panoramas/", api.panoramas),
    path("panoramas/<int:pk>/", api.panorama),
    path("panoramas/<int:pk>/restore/", api.restore_panorama),
]
