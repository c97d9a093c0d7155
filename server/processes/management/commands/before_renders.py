"""Runs a command while no render is timed: ``manage.py before_renders WORDS -- COMMAND…``."""

from __future__ import annotations

import subprocess
import time
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from server.processes.heartbeat import SET_UP, Heart, ProcessState, process_state
from server.processes.turns import turn

LOOK_SECONDS = 0.2


class Command(BaseCommand):
    """Renders wait until the command has ended, and the page says so meanwhile."""

    help = "Run a command that renders have to wait for, such as compiling engines."

    def add_arguments(self, parser: CommandParser) -> None:
        """What the page says it is, and the command."""
        parser.add_argument("words", help="what it is, as in: now WORDS")
        parser.add_argument("command", nargs="+")

    def handle(self, *args: Any, **options: Any) -> None:
        """Wait for a render under way, then run it. Does nothing when it is being done already."""
        if process_state(SET_UP) is ProcessState.ALIVE:
            return
        own = turn()
        with Heart(SET_UP) as heart:
            heart.doing(f"{options['words']}; renders wait for it")
            while not own.take():
                time.sleep(LOOK_SECONDS)
            code = subprocess.run(options["command"], check=False).returncode
        if code:
            raise CommandError(f"{options['words']} did not succeed ({code})")
