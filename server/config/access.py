"""Who may do what: one local user by default; in shared use, viewers look and operators run."""

from __future__ import annotations

from collections.abc import Callable
from copy import copy
from functools import wraps
from hmac import compare_digest
from typing import Any

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.http import HttpRequest, HttpResponse, HttpResponseBase
from rest_framework.authentication import BaseAuthentication, SessionAuthentication
from rest_framework.authtoken.models import Token
from rest_framework.exceptions import AuthenticationFailed, NotAuthenticated, PermissionDenied
from rest_framework.permissions import SAFE_METHODS, BasePermission
from rest_framework.request import Request

from server.store.tokens import home_token

OPERATORS, JUDGES = "operators", "judges"
JUDGING = ("server.verdicts.api", "server.verdicts.blind_api")
STUDIO = ("criteria",)  # of those, what is the studio's and no one judge's


class CheckedSession(SessionAuthentication):
    """Session authentication that demands the CSRF token of everyone, signed in or not.

    In shared use it first asks who sends a request and whether they may: nothing of the body is read before that.
    """

    def authenticate(self, request: Request) -> tuple[Any, None] | None:
        """The signed-in user, if any; raises `PermissionDenied` for a write without the token."""
        plain = request._request
        user = getattr(plain, "user", None)
        known = user is not None and user.is_authenticated
        if settings.SHARED and not known:
            raise NotAuthenticated()
        if settings.SHARED and not may(user, plain.method or "", request.parser_context.get("view")):
            raise PermissionDenied()
        self.enforce_csrf(request)
        return (user, None) if known else None

    def enforce_csrf(self, request: Request | HttpRequest) -> None:
        """The token is taken from the header alone: a form field would have the whole body read, files and all."""
        asked = copy(getattr(request, "_request", request))
        if asked.method == "POST":
            asked.method = "PUT"
        super().enforce_csrf(asked)  # type: ignore[arg-type]  # it takes plain requests

    def authenticate_header(self, request: Request) -> str:
        """Makes a missing sign-in a 401."""
        return "Session"


class ScriptToken(BaseAuthentication):
    """``Authorization: Bearer TOKEN``, for scripts: the home's own token alone, or in shared use that of an account."""

    def authenticate(self, request: Request) -> tuple[Any, None] | None:
        """Whose token it is; None where none is given, so that the session is asked."""
        kind, _, key = request.headers.get("Authorization", "").partition(" ")
        if kind != "Bearer":
            return None
        if not settings.SHARED:
            if not compare_digest(key.strip().encode(), home_token().encode()):
                raise AuthenticationFailed("This token is not that of this home; manage.py script_token tells it.")
            return AnonymousUser(), None
        found = Token.objects.select_related("user").filter(key=key.strip()).first()
        if found is None or not found.user.is_active:
            raise AuthenticationFailed("There is no account with this token.")
        if not may(found.user, request.method or "", request.parser_context.get("view")):
            raise PermissionDenied()
        return found.user, None

    def authenticate_header(self, request: Request) -> str:
        """Makes a wrong token a 401."""
        return "Bearer"


class MayLookMayRun(BasePermission):
    """Everything is open to the one local user. Shared: looking needs a sign-in, judging the judges' group or that of
    the operators, and all other changes the operators' group.
    """

    def has_permission(self, request: Request, view: Any) -> bool:
        """Whether this request may go on."""
        if not settings.SHARED:
            return True
        return bool(request.user.is_authenticated) and may(request.user, request.method or "", view)


def may(user: Any, method: str, view: Any) -> bool:
    """Whether this signed-in user may send such a request, in shared use."""
    if method in SAFE_METHODS or may_run(user):
        return True
    judging = type(view).__module__ in JUDGING and type(view).__name__ not in STUDIO
    return judging and may_judge(user)


def may_judge(user: AbstractBaseUser | AnonymousUser) -> bool:
    """Whether this user may record verdicts, put pins and sit blind tests."""
    return may_run(user) or bool(user.is_authenticated and user.groups.filter(name=JUDGES).exists())


def watched(view: Callable[[HttpRequest], HttpResponseBase]) -> Callable[[HttpRequest], HttpResponseBase]:
    """A plain view that only those may ask who may look."""

    @wraps(view)
    def asked(request: HttpRequest) -> HttpResponseBase:
        if settings.SHARED and not request.user.is_authenticated:
            return HttpResponse(status=401)
        return view(request)

    return asked


def may_run(user: AbstractBaseUser | AnonymousUser) -> bool:
    """Whether this user may change anything."""
    if not settings.SHARED:
        return True
    if not user.is_authenticated:
        return False
    return bool(getattr(user, "is_superuser", False)) or user.groups.filter(name=OPERATORS).exists()
