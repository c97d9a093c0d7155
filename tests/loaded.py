"""Processes that begin with what all tests load: packages are imported once, and forked with."""

from __future__ import annotations

import atexit
import gc
import os
import signal
import sys
import traceback
import unittest
from collections.abc import Callable
from functools import cache
from importlib import import_module
from typing import NoReturn

import django
from django.conf import global_settings, settings
from django.core.management import execute_from_command_line

# what takes long to import and starts no thread by being imported; nothing of Django's that needs its settings
PACKAGES = (
    "numpy", "scipy.ndimage", "scipy.optimize", "scipy.signal", "scipy.stats", "scipy.special", "scipy.fft", "cv2",
    "OpenImageIO", "PyOpenColorIO", "numba", "distributed", "msgspec", "jsonschema", "psutil", "django.test",
    "playwright.sync_api",
)  # fmt: skip
SETTINGS = "tests.settings"
OF_THE_SERVER = (
    "server.config.urls", "server.processes.management.commands.runner",
    "server.processes.management.commands.measurer", "tests.browser.base", "tests.runner",
)  # fmt: skip


def load() -> None:
    """Import them. What is forked afterwards has them, and so has what that forks."""
    for name in PACKAGES:
        import_module(name)
    import_module("matchedpair.measures.kernels").compile_all()
    _keep()
    atexit.register(gc.unfreeze)  # or libraries that count their objects at the end miss them


@cache
def load_server() -> None:
    """The same for Django and the server; what is forked afterwards for the core alone would have them too."""
    os.environ["DJANGO_SETTINGS_MODULE"] = SETTINGS
    django.setup()
    for name in OF_THE_SERVER:
        import_module(name)
    _keep()


def settle(module: str) -> None:
    """Take the settings of this process's environment, where Django was set up with those of the process before it."""
    for name in ("server.config.settings", SETTINGS):
        sys.modules.pop(name, None)
    told = import_module(module)
    for name in filter(str.isupper, {*dir(global_settings), *dir(told)}):
        setattr(settings, name, getattr(told, name, getattr(global_settings, name, None)))
    from django.apps import apps  # noqa: PLC0415 - looks for settings
    from django.db import connections  # noqa: PLC0415

    vars(connections).clear()
    connections.__init__()  # it had read the others
    apps.get_app_config("processes").ready()  # which says where digests are kept


def _keep() -> None:
    """What is loaded stays: no collection looks through it again, here or in what is forked."""
    gc.collect()
    gc.freeze()


def forked(words: list[str], output: int) -> int:
    """A process that runs ``unittest`` or ``manage.py`` with these words, leads what it starts, and prints to a file.
    Returns its number.
    """
    sys.stdout.flush()
    sys.stderr.flush()
    pid = os.fork()
    if pid == 0:
        os.setpgid(0, 0)
        signal.signal(signal.SIGTERM, signal.SIG_DFL)
        _become(words, output)
    return pid


def _become(words: list[str], output: int) -> NoReturn:
    for descriptor in (1, 2):
        os.dup2(output, descriptor)
    sys.argv = words
    code = exit_code(lambda: _run(words))
    atexit._run_exitfuncs()
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(code)


def exit_code(act: Callable[[], object]) -> int:
    """With which code Python would end after this, which prints what it would print then."""
    code: object = 0
    try:
        act()
    except SystemExit as stop:
        code = stop.code
        if isinstance(code, str):
            print(code, file=sys.stderr)
    except BaseException:
        traceback.print_exc()
        code = 1
    sys.stdout.flush()
    sys.stderr.flush()
    return code if isinstance(code, int) else int(code is not None)


def _run(words: list[str]) -> None:
    if words[0] == "unittest":
        unittest.main(module=None, argv=words)
        return
    from tests.warm import keep_spare  # noqa: PLC0415 - loads numpy, whose threads are told before

    settle(SETTINGS)
    keep_spare()
    execute_from_command_line(words)
