"""Django settings. Everything an operator may change is an environment variable; README.md lists them."""

import os
import secrets
from datetime import timedelta
from pathlib import Path

from django.core.exceptions import ImproperlyConfigured

from server.config.headers import never_changes

ROOT = Path(__file__).resolve().parents[2]
HOME = Path(os.environ.get("MATCHEDPAIR_HOME") or ROOT / "var").resolve()
SCENES = Path(os.environ.get("MATCHEDPAIR_SCENES") or ROOT / "demo" / "scenes").resolve()
ENGINES = Path(os.environ.get("MATCHEDPAIR_ENGINES") or ROOT / "demo" / "engines").resolve()
TEXTURES = Path(os.environ.get("MATCHEDPAIR_TEXTURES") or SCENES).resolve()
SCHEDULER = os.environ.get("MATCHEDPAIR_SCHEDULER", "")
# rendering stops before the disk is so full that nothing can be written down any more
KEEP_FREE_BYTES = int(float(os.environ.get("MATCHEDPAIR_KEEP_FREE_MB") or 500) * 1e6)
# pictures cut up for the viewer; what was looked at longest ago goes first
TILES_BYTES = int(float(os.environ.get("MATCHEDPAIR_TILES_MB") or 4000) * 1e6)
# where the copy goes that is asked for on the screen; another disk is better
BACKUP = Path(os.environ.get("MATCHEDPAIR_BACKUP") or HOME / "backups" / "copy").resolve()
SHARED = os.environ.get("MATCHEDPAIR_SHARED", "") == "1"
_imports = os.environ.get("MATCHEDPAIR_IMPORTS", "")
IMPORT_ROOT = Path(_imports).resolve() if _imports else (None if SHARED else Path.home().resolve())
WEB_DIST = ROOT / "web" / "dist"

HOME.mkdir(parents=True, exist_ok=True)


def _secret_key() -> str:
    given = os.environ.get("MATCHEDPAIR_SECRET_KEY", "")
    if given:
        return given
    if SHARED:
        raise ImproperlyConfigured("MATCHEDPAIR_SHARED=1 needs MATCHEDPAIR_SECRET_KEY: a long random text of your own")
    kept = HOME / "secret-key"
    if not kept.exists():
        kept.touch(mode=0o600)
        kept.write_text(secrets.token_urlsafe(48), encoding="utf-8")
    return kept.read_text(encoding="utf-8")


SECRET_KEY = _secret_key()
DEBUG = False
ALLOWED_HOSTS = os.environ.get("MATCHEDPAIR_HOSTS", "127.0.0.1,localhost,[::1]").split(",")
CSRF_TRUSTED_ORIGINS = [origin for origin in os.environ.get("MATCHEDPAIR_ORIGINS", "").split(",") if origin]

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "rest_framework",
    "axes",
    "rest_framework.authtoken",
    "drf_spectacular",
    "server.catalogue",
    "server.studies",
    "server.runs",
    "server.imports",
    "server.references",
    "server.measuring",
    "server.pairs",
    "server.verdicts",
    "server.answers",
    "server.tables",
    "server.curves",
    "server.motion",
    "server.searches",
    "server.textures",
    "server.decisions",
    "server.sharing",
    "server.processes",
]

MIDDLEWARE = [
    "server.config.headers.Headers",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "server.config.telling.TellWhatChanged",
    "axes.middleware.AxesMiddleware",
]

ROOT_URLCONF = "server.config.urls"
WSGI_APPLICATION = "server.config.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [Path(__file__).parent / "templates"],
        "APP_DIRS": True,
        "OPTIONS": {"context_processors": ["django.template.context_processors.request"]},
    }
]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": HOME / "db.sqlite3",
        "CONN_MAX_AGE": None,  # kept by each thread of the server: opening one takes longer than most questions
        "OPTIONS": {
            "timeout": 20,
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL;",
        },
        "TEST": {"NAME": HOME / "test.sqlite3"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": ["server.config.access.ScriptToken", "server.config.access.CheckedSession"],
    "DEFAULT_PERMISSION_CLASSES": ["server.config.access.MayLookMayRun"],
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["rest_framework.parsers.JSONParser"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "server.config.problems.problem_response",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Matched Pair",
    "DESCRIPTION": "All that the screens do. Errors are problem-JSON (RFC 9457).",
    "VERSION": "1",
    "SERVE_INCLUDE_SCHEMA": False,
    "SERVE_AUTHENTICATION": ["server.config.access.CheckedSession"],
    "SERVE_PERMISSIONS": ["server.config.access.MayLookMayRun"],
    "COMPONENT_SPLIT_REQUEST": True,
    "AUTHENTICATION_WHITELIST": [],
    "POSTPROCESSING_HOOKS": [
        "drf_spectacular.hooks.postprocess_schema_enums",
        "server.config.schema.with_problems",
    ],
    "ENUM_NAME_OVERRIDES": {
        "ProcessState": "server.processes.heartbeat.PROCESS_STATES",
        "RunState": "server.runs.models.RunState",
        "PlanKindName": "server.studies.models.PLAN_KIND_CHOICES",
        "Side": "server.studies.models.Side",
        "Chosen": "server.verdicts.models.Chosen",
        "BlindKindName": "server.verdicts.models.BLIND_KIND_CHOICES",
        "Mark": "server.verdicts.models.Mark",
        "StudyState": "server.runs.progress.StudyState",
        "ConditionState": "server.studies.sheets.SHEET_STATES",
        "MatchedOn": "server.searches.models.MatchedOn",
        "MatchingState": "server.searches.models.MatchingState",
        "ReferenceKind": "server.references.models.ReferenceKind",
    },
}

DATA_UPLOAD_MAX_MEMORY_SIZE = 1024 * 1024
LOGIN_URL = "/login/"
LOGIN_REDIRECT_URL = "/"
LOGOUT_REDIRECT_URL = "/login/"
AUTHENTICATION_BACKENDS = [
    "axes.backends.AxesStandaloneBackend",
    "django.contrib.auth.backends.ModelBackend",
]
# ten wrong passwords for a name from one place, then a quarter of an hour without a try
AXES_ENABLED = SHARED
AXES_FAILURE_LIMIT = 10
AXES_COOLOFF_TIME = timedelta(minutes=15)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_LOCKOUT_TEMPLATE = "registration/locked.html"
AXES_VERBOSE = False
STATIC_URL = "/static/"
WHITENOISE_ROOT = WEB_DIST if WEB_DIST.is_dir() else None
WHITENOISE_IMMUTABLE_FILE_TEST = never_changes
SESSION_COOKIE_SAMESITE = CSRF_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_AGE = int(float(os.environ.get("MATCHEDPAIR_SESSION_HOURS") or 24 * 7) * 3600)
# behind a proxy that speaks TLS and says so
BEHIND_TLS = os.environ.get("MATCHEDPAIR_TLS", "") == "1"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = BEHIND_TLS
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if BEHIND_TLS else None
SECURE_HSTS_SECONDS = 3600 * 24 * 365 if BEHIND_TLS else 0
USE_TZ = True
TIME_ZONE = "UTC"
SILENCED_SYSTEM_CHECKS: list[str] = []
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "{asctime} {name} {levelname} {message}", "style": "{"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "plain"}},
    "loggers": {
        "server": {"handlers": ["console"], "level": "INFO"},
        "django.request": {"handlers": ["console"], "level": "ERROR", "propagate": False},
    },
}
