"""The token of a home, by which a script on its machine uses the API."""

from __future__ import annotations

import secrets

from django.conf import settings


def home_token() -> str:
    """The token of this home, made when it is first asked for; only its owner may read the file."""
    kept = settings.HOME / "script-token"
    if not kept.exists():
        kept.touch(mode=0o600)
        kept.write_text(secrets.token_hex(20), encoding="ascii")
    return str(kept.read_text(encoding="ascii"))
