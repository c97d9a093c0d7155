"""Addresses of the run table and the measure table."""

from django.urls import path

from server.tables import api

urlpatterns = [
    path("studies/<int:pk>/measures/", api.measures),
    path("studies/<int:pk>/table/", api.table),
    path("studies/<int:pk>/table/groups/", api.groups),
    path("studies/<int:pk>/table.csv", api.table_csv),
    path("studies/<int:pk>/table.json", api.table_json),
]
