"""Tells the token by which a script may use the API: ``manage.py script_token [ACCOUNT] [--anew]``."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandError
from rest_framework.authtoken.models import Token

from server.store.tokens import home_token


class Command(BaseCommand):
    """The home's own token, or in shared use that of an account; made when there is none yet."""

    help = "Print the token for scripts: Authorization: Bearer TOKEN."

    def add_arguments(self, parser: ArgumentParser) -> None:
        """The command's arguments."""
        parser.add_argument("account", nargs="?", default="", help="in shared use")
        parser.add_argument("--anew", action="store_true", help="make another; the one before opens nothing any more")

    def handle(self, *args: Any, **options: Any) -> None:
        """Print it."""
        if not settings.SHARED:
            if options["anew"]:
                (settings.HOME / "script-token").unlink(missing_ok=True)
            self.stdout.write(home_token())
            return
        user = get_user_model().objects.filter(username=options["account"]).first()
        if user is None:
            raise CommandError("In shared use a token belongs to an account: manage.py script_token NAME")
        if options["anew"]:
            Token.objects.filter(user=user).delete()
        self.stdout.write(Token.objects.get_or_create(user=user)[0].key)
