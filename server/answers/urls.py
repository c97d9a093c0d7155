"""Addresses of what studies and pairs say."""

from django.urls import path

from server.answers import api

urlpatterns = [
    path("overview/", api.overview),
    path("studies/<int:pk>/answer/", api.study_says),
    path("studies/<int:pk>/proof/", api.proof),
    path("studies/<int:pk>/proof.png", api.small_proof),
    path("studies/<int:pk>/settle/", api.settle_study),
    path("studies/<int:pk>/facts.json", api.export_facts),
    path("pairs/<int:pk>/", api.pair),
]
