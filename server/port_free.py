"""Says in one line when the port is taken, before anything is started."""

import os
import socket
import sys

port = int(os.environ.get("MATCHEDPAIR_PORT", "8321"))
with socket.socket() as probe:
    probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        probe.bind(("127.0.0.1", port))
    except OSError:
        sys.exit(
            f"Port {port} is taken: Matched Pair may be running already at http://127.0.0.1:{port}. "
            "Stop it, or choose another port with MATCHEDPAIR_PORT."
        )
