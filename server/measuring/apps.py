from django.apps import AppConfig


class MeasuringConfig(AppConfig):
    name = "server.measuring"
    label = "findings"  # what databases made before know its tables and migrations by
