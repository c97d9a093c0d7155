from django.apps import AppConfig


class ImportsConfig(AppConfig):
    name = "server.imports"
