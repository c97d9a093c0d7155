"""The one page that carries the interface, and what it asks first."""

from __future__ import annotations

import getpass

from django.conf import settings
from django.contrib.auth.views import redirect_to_login
from django.http import HttpRequest, HttpResponse, HttpResponseBase
from django.middleware.csrf import get_token
from django.views.decorators.csrf import ensure_csrf_cookie
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.config.access import may_judge, may_run
from server.processes.heartbeat import MEASURER, PROCESS_STATES, RUNNER, SET_UP, now_doing, process_state
from server.store.files import DEMO


class SessionSerializer(serializers.Serializer):
    """Who is here, whether they may run, and whether the runner and the measurer are alive."""

    name = serializers.CharField()
    may_run = serializers.BooleanField()
    may_judge = serializers.BooleanField()
    shared = serializers.BooleanField()
    runner = serializers.ChoiceField(choices=PROCESS_STATES)
    measurer = serializers.ChoiceField(choices=PROCESS_STATES)
    preparing = serializers.CharField(help_text="What set-up still does, for which renders wait; empty for nothing")
    doing = serializers.CharField(help_text="What the measurer does now; empty for nothing")
    demo = serializers.BooleanField(help_text="Whether it began with demo data")


@extend_schema(responses=SessionSerializer)
@api_view(["GET"])
def session(request: Request) -> Response:
    """Who is here, whether they may run, and whether the runner and the measurer are alive. Sets the CSRF cookie."""
    get_token(request._request)
    signed_in = request.user.is_authenticated
    return Response(
        {
            "name": request.user.get_username() if signed_in else _local_name(),
            "may_run": may_run(request.user),
            "may_judge": may_judge(request.user),
            "shared": settings.SHARED,
            "runner": process_state(RUNNER).value,
            "measurer": process_state(MEASURER).value,
            "preparing": now_doing(SET_UP),
            "doing": now_doing(MEASURER),
            "demo": (settings.HOME / DEMO).exists(),
        }
    )


@ensure_csrf_cookie
def interface(request: HttpRequest) -> HttpResponseBase:
    """The built interface; every address that is not the API's leads here, and the interface finds its screen."""
    if settings.SHARED and not request.user.is_authenticated:
        return redirect_to_login(request.get_full_path())
    page = settings.WEB_DIST / "index.html"
    if not page.is_file():
        return HttpResponse("The interface is not built yet: run `make setup`.", status=503, content_type="text/plain")
    return HttpResponse(page.read_bytes(), content_type="text/html; charset=utf-8")


def _local_name() -> str:
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return ""
