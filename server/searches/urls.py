"""Addresses of searches."""

from django.urls import path

from server.searches import api

urlpatterns = [
    path("studies/<int:pk>/searches/", api.searches),
    path("searches/<int:pk>/stop/", api.stop),
    path("searches/<int:pk>/go-on/", api.go_on),
]
