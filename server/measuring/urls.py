"""Addresses of maps, and of the disk that a study takes."""

from django.urls import path

from server.measuring import api

urlpatterns = [
    path("studies/<int:pk>/let-go/", api.let_pictures_go),
    path("pairs/<int:pk>/layers/<str:name>/", api.pair_layer),
    path("options/<int:pk>/layers/<str:name>/", api.option_layer),
]
