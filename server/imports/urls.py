"""Addresses of renders from elsewhere."""

from django.urls import path

from server.imports import api, making_api

urlpatterns = [
    path("imports/", api.sets),
    path("imports/<int:pk>/", api.one_set),
    path("imports/<int:pk>/restore/", api.restore_set),
    path("imports/<int:pk>/layers/", api.set_layers),
    path("imports/<int:pk>/files/", api.files),
    path("imports/<int:pk>/table/", api.table),
    path("imports/<int:pk>/from-folder/", api.from_folder),
    path("imports/folder/", api.folder),
    path("imports/pattern/", api.pattern),
    path("imports/fill-in/", api.fill_in),
    path("imports/study/", making_api.study),
    path("imports/pair/", making_api.pair),
    path("imports/sequence/", making_api.sequence),
]
