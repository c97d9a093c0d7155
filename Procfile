server: gunicorn server.config.wsgi --bind 127.0.0.1:${MATCHEDPAIR_PORT} --workers 1 --threads 32 --keep-alive 75 --graceful-timeout 2 --no-control-socket --log-level warning
runner: python server/keep.py runner
measurer: python server/keep.py measurer
