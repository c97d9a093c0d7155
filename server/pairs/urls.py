"""Addresses of what pairs are looked at with, and of what makes them matched."""

from django.urls import path

from server.pairs import api

urlpatterns = [
    path("pairs/<int:pk>/mend/", api.mend_pair),
    path("pairs/<int:pk>/brightness/", api.brightness),
    path("pairs/<int:pk>/beside/", api.beside_pair),
    path("studies/<int:pk>/contact-sheet/", api.contact),
]
