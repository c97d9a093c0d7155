"""Addresses of runs and their pictures."""

from django.urls import path

from server.runs import api

urlpatterns = [
    path("studies/<int:pk>/runs/", api.study_runs),
    path("studies/<int:pk>/start/", api.start_study),
    path("studies/<int:pk>/stop/", api.stop_study),
    path("runs/builds/", api.builds_at_work),
    path("runs/<int:pk>/", api.run),
    path("runs/<int:pk>/stop/", api.stop_run),
    path("runs/<int:pk>/again/", api.again),
    path("pictures/<str:digest>/pixels/", api.pixels),
    path("pictures/<str:digest>/thumbnail/", api.small_picture),
    path("pictures/<str:digest>/shown/", api.shown_picture),
    path("pictures/of-view/", api.picture_of_view),
]
