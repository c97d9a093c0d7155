from django.apps import AppConfig


class TexturesConfig(AppConfig):
    name = "server.textures"
