from django.apps import AppConfig
from django.conf import settings
from django.db.models.signals import post_migrate, pre_migrate
from matchedpair.pictures.apart import decode_apart
from matchedpair.scenes.digests import keep_digests_in

from server.store.changes import count_changes, stop_counting


class ProcessesConfig(AppConfig):
    name = "server.processes"

    def ready(self) -> None:
        """No picture of anybody's can end a process of ours, or fill the machine's memory; the database counts what
        changes.
        """
        pre_migrate.connect(stop_counting, sender=self)
        post_migrate.connect(count_changes, sender=self)
        decode_apart()
        keep_digests_in(settings.HOME / "digests.sqlite3")
