from django.apps import AppConfig
from matchedpair.pictures.apart import decode_apart


class ProcessesConfig(AppConfig):
    name = "server.processes"

    def ready(self) -> None:
        """No picture of anybody's can end a process of ours, or fill the machine's memory."""
        decode_apart()
