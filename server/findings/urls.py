"""Addresses of findings."""

from django.urls import path

from server.findings import api, blind_api, judged_api, looking_api, table_api

urlpatterns = [
    path("studies/<int:pk>/findings/", api.study_says),
    path("studies/<int:pk>/proof/", looking_api.proof),
    path("studies/<int:pk>/settle/", api.settle_study),
    path("studies/<int:pk>/facts.json", api.export_facts),
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
    path("pairs/<int:pk>/verdicts/", judged_api.verdicts),
    path("pairs/<int:pk>/pins/", judged_api.pins),
    path("pins/<int:pk>/", judged_api.pin),
    path("pins/<int:pk>/restore/", judged_api.restore_pin),
    path("pairs/<int:pk>/mend/", api.mend_pair),
    path("pairs/<int:pk>/beside/", looking_api.beside_pair),
    path("studies/<int:pk>/contact-sheet/", looking_api.contact),
    path("criteria/", judged_api.criteria),
    path("pairs/<int:pk>/blind/", blind_api.blind),
    path("blind/<int:pk>/", blind_api.blind_test),
    path("blind/<int:pk>/answer/", blind_api.answer),
    path("blind/<int:pk>/end/", blind_api.end),
    path("pairs/<int:pk>/export.json", api.export_json),
    path("pairs/<int:pk>/export.csv", api.export_csv),
    path("pairs/<int:pk>/export.zip", api.export_zip),
    path("verdicts/<int:pk>/", judged_api.verdict),
    path("verdicts/<int:pk>/restore/", judged_api.restore_verdict),
]
