from django.apps import AppConfig


class BenchConfig(AppConfig):
    name = "server.bench"
