"""Addresses of findings."""

from django.urls import path

from server.findings import api, table_api

urlpatterns = [
    path("studies/<int:pk>/findings/", api.study_says),
    path("studies/<int:pk>/let-go/", api.let_pictures_go),
    path("studies/<int:pk>/measures/", api.measures),
    path("studies/<int:pk>/table/", table_api.table),
    path("studies/<int:pk>/table/groups/", table_api.groups),
    path("studies/<int:pk>/table.csv", table_api.table_csv),
    path("studies/<int:pk>/table.json", table_api.table_json),
    path("overview/", api.overview),
    path("pairs/<int:pk>/", api.pair),
    path("pairs/<int:pk>/brightness/", api.brightness),
    path("pairs/<int:pk>/layers/<str:name>/", api.pair_layer),
    path("options/<int:pk>/layers/<str:name>/", api.option_layer),
    path("pairs/<int:pk>/verdicts/", api.verdicts),
    path("pairs/<int:pk>/export.json", api.export_json),
    path("pairs/<int:pk>/export.csv", api.export_csv),
    path("pairs/<int:pk>/export.zip", api.export_zip),
    path("verdicts/<int:pk>/", api.verdict),
    path("verdicts/<int:pk>/restore/", api.restore_verdict),
]
