"""Where compiled kernels are kept.

numba keys a cached kernel by its own file only, so an edited helper in another module would leave its
callers stale. The folder is therefore named by a hash of every kernel source.
"""

from __future__ import annotations

import hashlib
import os
import tempfile
from pathlib import Path

HERE = Path(__file__).parent


def use_kernel_cache() -> Path:
    """Point numba at the folder for these sources; call it before numba is first imported.

    Returns
    -------
    Path
        The folder, writable. ``NUMBA_CACHE_DIR`` wins when it is already set.
    """
    chosen = os.environ.get("NUMBA_CACHE_DIR")
    folder = Path(chosen) if chosen else _first_writable() / _sources_hash()
    folder.mkdir(parents=True, exist_ok=True)
    os.environ["NUMBA_CACHE_DIR"] = str(folder)
    return folder


def _sources_hash() -> str:
    digest = hashlib.sha256()
    for source in sorted(HERE.rglob("*kernels.py")):
        digest.update(source.read_bytes())
    return digest.hexdigest()[:16]


def _first_writable() -> Path:
    home = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "matchedpair-standins"
    try:
        home.mkdir(parents=True, exist_ok=True)
    except OSError:
        return Path(tempfile.gettempdir()) / "matchedpair-standins"
    return home if os.access(home, os.W_OK) else Path(tempfile.gettempdir()) / "matchedpair-standins"
