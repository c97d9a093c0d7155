"""Addresses of stored pictures."""

from django.urls import path

from server.store import pictures_api

urlpatterns = [
    path("pictures/<str:digest>/pyramid/", pictures_api.pyramid),
    path("pictures/<str:digest>/tiles/<int:level>/<int:column>/<int:row>/", pictures_api.one_tile),
    path("pictures/<str:digest>/spots/", pictures_api.marked_spots),
    path("pictures/<str:digest>/thumbnail/", pictures_api.small_picture),
    path("pictures/<str:digest>/shown/", pictures_api.shown_picture),
    path("pictures/<str:digest>/file/", pictures_api.picture_file),
]
