from django.apps import AppConfig


class SharingConfig(AppConfig):
    name = "server.sharing"
