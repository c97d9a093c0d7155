from django.apps import AppConfig


class RunsConfig(AppConfig):
    name = "server.runs"
