"""Addresses of curves and effects."""

from django.urls import path

from server.curves import api

urlpatterns = [
    path("studies/<int:pk>/curves/", api.curves),
    path("studies/<int:pk>/effects/", api.effects),
]
