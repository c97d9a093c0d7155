"""Addresses of runs."""

from django.urls import path

from server.runs import api, plans_api, queue_api

urlpatterns = [
    path("studies/<int:pk>/progress/", api.study_progress),
    path("studies/", plans_api.studies),
    path("studies/preview/", plans_api.preview),
    path("studies/preview/pilot/", plans_api.pilot_of_draft),
    path("studies/<int:pk>/plan/", plans_api.plan_anew),
    path("studies/<int:pk>/start/", plans_api.start_study),
    path("studies/<int:pk>/pilot/", plans_api.pilot),
    path("queue/", queue_api.queue),
    path("queue/pause/", queue_api.pause_queue),
    path("queue/stop/", queue_api.stop_queue),
    path("runs/<int:pk>/move/", queue_api.move_run),
    path("runs/<int:pk>/live/", queue_api.live_picture),
    path("studies/<int:pk>/stop/", api.stop_study),
    path("studies/<int:pk>/bad-again/", api.bad_again),
    path("runs/builds/", api.builds_at_work),
    path("runs/<int:pk>/", api.run),
    path("studies/<int:pk>/remove/", api.remove_study),
    path("runs/<int:pk>/stop/", api.stop_run),
    path("runs/<int:pk>/again/", api.again),
    path("pictures/of-view/", api.picture_of_view),
]
