from django.apps import AppConfig


class CatalogueConfig(AppConfig):
    name = "server.catalogue"
