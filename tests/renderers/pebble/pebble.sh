#!/bin/sh
# Started as studios start their renderers: through a script that finds the rest.
exec python3 "$(dirname "$0")/pebble.py" "$@"
