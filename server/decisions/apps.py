from django.apps import AppConfig


class DecisionsConfig(AppConfig):
    name = "server.decisions"
