"""Addresses of the catalogue."""

from django.urls import path

from server.catalogue import engines_api, scenes_api, transforms_api

urlpatterns = [
    path("scenes/", scenes_api.scenes),
    path("scenes/undescribed/", scenes_api.undescribed_places),
    path("scenes/<str:name>/look/", scenes_api.look),
    path("scenes/<str:name>/zones/", scenes_api.zones),
    path("zones/<int:pk>/", scenes_api.zone),
    path("zones/<int:pk>/restore/", scenes_api.zone_restore),
    path("zones/<int:pk>/copy/", scenes_api.zone_copy),
    path("engines/", engines_api.engines),
    path("engines/<str:name>/test/", engines_api.engine_test),
    path("effects/evidence/", engines_api.evidence),
    path("effects/evidence/<int:pk>/", engines_api.evidence_item),
    path("effects/evidence/<int:pk>/restore/", engines_api.evidence_restore),
    path("brightness/<int:pk>/", engines_api.brightness),
    path("brightness/<int:pk>/restore/", engines_api.brightness_restore),
    path("view-transforms/", transforms_api.transforms),
    path("view-transforms/shader/", transforms_api.transform_shader),
]
