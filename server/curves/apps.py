from django.apps import AppConfig


class CurvesConfig(AppConfig):
    name = "server.curves"
    label = "matching"  # what databases made before know its migrations by; its table went to searches
