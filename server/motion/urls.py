"""Addresses of sequences."""

from django.urls import path

from server.motion import api

urlpatterns = [
    path("studies/<int:pk>/motion/", api.motion),
    path("studies/<int:pk>/motion/as-reference/", api.as_reference),
]
