"""Addresses of curves and searches."""

from django.urls import path

from server.matching import api

urlpatterns = [
    path("studies/<int:pk>/curves/", api.curves),
    path("studies/<int:pk>/effects/", api.effects),
    path("studies/<int:pk>/matchings/", api.matchings),
    path("matchings/<int:pk>/stop/", api.stop),
    path("matchings/<int:pk>/go-on/", api.go_on),
]
