"""All addresses."""

from django.contrib.auth.views import LoginView, LogoutView
from django.urls import include, path, re_path
from drf_spectacular.views import SpectacularAPIView

from server.config.access import watched
from server.config.pages import interface, session
from server.config.problems import not_found
from server.processes.events import events

urlpatterns = [
    path("api/schema/", SpectacularAPIView.as_view()),
    path("api/session/", session),
    path("api/", include("server.store.urls")),
    path("api/", include("server.catalogue.urls")),
    path("api/", include("server.studies.urls")),
    path("api/", include("server.runs.urls")),
    path("api/", include("server.imports.urls")),
    path("api/", include("server.references.urls")),
    path("api/", include("server.measuring.urls")),
    path("api/", include("server.pairs.urls")),
    path("api/", include("server.verdicts.urls")),
    path("api/", include("server.answers.urls")),
    path("api/", include("server.tables.urls")),
    path("api/", include("server.curves.urls")),
    path("api/", include("server.motion.urls")),
    path("api/", include("server.searches.urls")),
    path("api/", include("server.textures.urls")),
    path("api/", include("server.decisions.urls")),
    path("api/", include("server.sharing.urls")),
    path("api/", include("server.processes.urls")),
    path("api/events/", watched(events)),
    re_path(r"^api/", not_found),
    path("login/", LoginView.as_view()),
    path("logout/", LogoutView.as_view()),
    re_path(r"^(?!assets/)", interface),
]
handler404 = "server.config.problems.not_found"
handler500 = "server.config.problems.server_error"
