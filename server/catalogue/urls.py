"""Addresses of the catalogue."""

from django.urls import path

from server.catalogue import api

urlpatterns = [path("scenes/", api.scenes), path("engines/", api.engines)]
