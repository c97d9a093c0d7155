"""Addresses of searches."""

from django.urls import path

from server.searches import api, matching_api

urlpatterns = [
    path("studies/<int:pk>/searches/", api.searches),
    path("searches/<int:pk>/stop/", api.stop),
    path("searches/<int:pk>/go-on/", api.go_on),
    path("studies/<int:pk>/matchings/", matching_api.matchings),
    path("matchings/<int:pk>/stop/", matching_api.stop),
    path("matchings/<int:pk>/go-on/", matching_api.go_on),
]
