from django.apps import AppConfig
from django.conf import settings
from matchedpair.pictures.apart import decode_apart
from matchedpair.scenes.digests import keep_digests_in


class ProcessesConfig(AppConfig):
    name = "server.processes"

    def ready(self) -> None:
        """No picture of anybody's can end a process of ours, or fill the machine's memory."""
        decode_apart()
        keep_digests_in(settings.HOME / "digests.sqlite3")
