#!/usr/bin/env python
"""Django's command line for the server."""

import os
import sys

from django.core.management import execute_from_command_line

if __name__ == "__main__":
    # tests make and empty folders of engines: never in anyone's own home
    testing = sys.argv[1:2] == ["test"]
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "tests.settings" if testing else "server.config.settings")
    execute_from_command_line(sys.argv)
