"""Addresses of what the processes behind the server tell."""

from django.urls import path

from server.processes import api

urlpatterns = [
    path("backup/", api.backup),
    path("troubles/", api.troubles),
    path("troubles/<int:pk>/again/", api.again),
]
