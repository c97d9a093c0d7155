"""Settings for tests: a home of their own, so that no test touches anyone's data."""

import os
import tempfile

os.environ["MATCHEDPAIR_HOME"] = tempfile.mkdtemp(prefix="matchedpair-tests-")
for name in ("MATCHEDPAIR_SHARED", "MATCHEDPAIR_SECRET_KEY", "MATCHEDPAIR_SCHEDULER", "MATCHEDPAIR_HOSTS"):
    os.environ.pop(name, None)
os.environ["MATCHEDPAIR_ENGINES"] = tempfile.mkdtemp(prefix="engines-", dir=os.environ["MATCHEDPAIR_HOME"])

from server.config.settings import *  # noqa: E402, F403
from server.config.settings import DATABASES, HOME, LOGGING  # noqa: E402

# the runner of a browser test is a process of its own and opens the same file
DATABASES["default"]["TEST"] = {"NAME": HOME / "db.sqlite3"}
DATABASES["default"]["OPTIONS"]["init_command"] += "PRAGMA synchronous=OFF;"  # a killed process loses nothing by it
LOGGING["loggers"]["server"]["level"] = "CRITICAL"
LOGGING["loggers"]["django.request"]["level"] = "CRITICAL"
LOGGING["loggers"]["axes"] = {"level": "CRITICAL"}
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]  # good ones take long on purpose
ALLOWED_HOSTS = ["testserver", "localhost", "127.0.0.1"]

TEST_RUNNER = "tests.slowest.SlowestRunner"

# Playwright's own event loop runs in the thread of the tests, which Django would take for an asynchronous view
os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
