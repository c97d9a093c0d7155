"""Who may do what: one local user by default; in shared use, viewers look and operators run."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.http import HttpRequest, HttpResponse, HttpResponseBase
from rest_framework.authentication import SessionAuthentication
from rest_framework.permissions import SAFE_METHODS, BasePermission
from rest_framework.request import Request

OPERATORS = "operators"


class CheckedSession(SessionAuthentication):
    """Session authentication that demands the CSRF token of everyone, signed in or not."""

    def authenticate(self, request: Request) -> tuple[Any, None] | None:
        """The signed-in user, if any; raises `PermissionDenied` for a write without the token."""
        self.enforce_csrf(request)
        user = getattr(request._request, "user", None)
        return (user, None) if user is not None and user.is_authenticated else None

    def authenticate_header(self, request: Request) -> str:
        """Makes a missing sign-in a 401."""
        return "Session"


class MayLookMayRun(BasePermission):
    """Everything is open to the one local user. Shared: looking needs a sign-in, changing needs the operators group."""

    def has_permission(self, request: Request, view: Any) -> bool:
        """Whether this request may go on."""
        if not settings.SHARED:
            return True
        if not request.user.is_authenticated:
            return False
        return request.method in SAFE_METHODS or may_run(request.user)


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
