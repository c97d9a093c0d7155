from django.apps import AppConfig


class MotionConfig(AppConfig):
    name = "server.motion"
