from django.apps import AppConfig


class TablesConfig(AppConfig):
    name = "server.tables"
