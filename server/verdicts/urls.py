"""Addresses of verdicts, pins, criteria and blind tests."""

from django.urls import path

from server.verdicts import api, blind_api

urlpatterns = [
    path("pairs/<int:pk>/verdicts/", api.verdicts),
    path("verdicts/<int:pk>/", api.verdict),
    path("verdicts/<int:pk>/restore/", api.restore_verdict),
    path("pairs/<int:pk>/pins/", api.pins),
    path("pins/<int:pk>/", api.pin),
    path("pins/<int:pk>/restore/", api.restore_pin),
    path("criteria/", api.criteria),
    path("pairs/<int:pk>/blind/", blind_api.blind),
    path("blind/<int:pk>/", blind_api.blind_test),
    path("blind/<int:pk>/answer/", blind_api.answer),
    path("blind/<int:pk>/end/", blind_api.end),
]
