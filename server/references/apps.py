from django.apps import AppConfig


class ReferencesConfig(AppConfig):
    name = "server.references"
