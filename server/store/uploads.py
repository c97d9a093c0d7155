"""A file that came with a request, bounded, and the folder that holds it while it is taken in."""

from __future__ import annotations

import shutil
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from matchedpair.elsewhere import Taken, take
from matchedpair.errors import InputError
from rest_framework.request import Request

from server.store.files import keep_file
from server.store.pixels import PICTURE

MOST_BYTES = 512 * 1024 * 1024
ABANDONED_SECONDS = 3600.0
LONGEST_ENDING = 8


def uploaded(request: Request, most: int = MOST_BYTES) -> UploadedFile:
    """The form's ``file``. Raises `InputError` when it is missing or larger than `most` bytes (half a gigabyte)."""
    if int(request.META.get("CONTENT_LENGTH") or 0) > most:
        raise InputError(f"the upload is larger than {most >> 20} MB")
    upload = request.FILES.get("file")
    if not isinstance(upload, UploadedFile):
        raise InputError("the form must carry a file under the name 'file'")
    return upload


@contextmanager
def work_folder() -> Iterator[Path]:
    """An empty folder, gone afterwards; what a killed server leaves of it is removed by `sweep`."""
    with tempfile.TemporaryDirectory(dir=_work()) as folder:
        yield Path(folder)


@contextmanager
def upload_on_disk(upload: UploadedFile, name: str) -> Iterator[Path]:
    """An upload as a file with the ending of its name, gone afterwards."""
    with work_folder() as folder:
        path = folder / f"upload{ending_of(name)}"
        with path.open("wb") as file:
            for chunk in upload.chunks():
                file.write(chunk)
        yield path


def keep_light(path: Path, transform: str, layer: str = "") -> tuple[Taken, str]:
    """A picture file, or a layer of it, taken in, and the hash of its linear light in the store. Raises `InputError`,
    `OSError`.
    """
    with work_folder() as folder:
        linear = folder / "linear.exr"
        return take(path, linear, transform, layer), keep_file(linear, PICTURE)


def ending_of(name: str) -> str:
    """Such as ``.exr``: in small letters, and cut where no picture's ending is so long."""
    return Path(name).suffix.lower()[:LONGEST_ENDING]


def sweep() -> None:
    """Remove what a killed server left of uploads under way; called when a runner starts."""
    begun_before = time.time() - ABANDONED_SECONDS
    for folder in _work().iterdir():
        if folder.stat().st_mtime < begun_before:
            shutil.rmtree(folder, ignore_errors=True)


def _work() -> Path:
    folder = Path(settings.HOME) / "uploads"
    folder.mkdir(exist_ok=True)
    return folder
