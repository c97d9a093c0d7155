from django.apps import AppConfig


class VerdictsConfig(AppConfig):
    name = "server.verdicts"
