"""Addresses of texture plans."""

from django.urls import path

from server.textures import api

urlpatterns = [
    path("textures/", api.places),
    path("textures/plan/", api.plan),
    path("textures/picture/", api.picture),
    path("textures/choice/", api.choice),
    path("textures/use/", api.use),
    path("textures/copies/", api.copies),
    path("textures/copies/unfinished/", api.unfinished),
    path("textures/before-and-after/", api.before_after),
]
