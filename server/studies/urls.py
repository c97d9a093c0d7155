"""Addresses of studies."""

from django.urls import path

from server.studies import api

urlpatterns = [
    path("questions/", api.questions),
    path("studies/proposal/", api.proposal),
    path("studies/levels/", api.levels),
    path("studies/<int:pk>/", api.study),
    path("studies/<int:pk>/draft/", api.study_draft),
    path("studies/<int:pk>/archive/", api.archive_study),
    path("pairs/", api.make_pair),
]
