"""All addresses."""

from django.contrib.auth.views import LoginView
from django.urls import include, path, re_path
from drf_spectacular.views import SpectacularAPIView

from server.config.pages import interface, session
from server.config.problems import not_found

urlpatterns = [
    path("api/schema/", SpectacularAPIView.as_view()),
    path("api/session/", session),
    path("api/", include("server.store.urls")),
    path("api/", include("server.catalogue.urls")),
    path("api/", include("server.studies.urls")),
    path("api/", include("server.runs.urls")),
    path("api/", include("server.imports.urls")),
    path("api/", include("server.references.urls")),
    path("api/", include("server.findings.urls")),
    path("api/", include("server.matching.urls")),
    path("api/", include("server.motion.urls")),
    path("api/", include("server.searches.urls")),
    path("api/", include("server.textures.urls")),
    path("api/", include("server.decisions.urls")),
    path("api/", include("server.sharing.urls")),
    re_path(r"^api/", not_found),
    path("login/", LoginView.as_view()),
    re_path(r"^(?!assets/)", interface),
]
handler404 = "server.config.problems.not_found"
handler500 = "server.config.problems.server_error"
