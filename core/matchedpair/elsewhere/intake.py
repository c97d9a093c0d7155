"""Takes one picture in: reads it, checks it, and brings it into linear light where it is known how."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from matchedpair.errors import InputError
from matchedpair.measures import FileCheck, check_file
from matchedpair.pictures import Picture, write_exr
from matchedpair.pictures.view_transform import view_transforms

LINEAR, DISPLAY = "linear", "display"
INBOX, MANIFEST = "inbox", "import.json"
NOTICES, EVERYTHING = "notices", "everything"  # where, and how, it is told that something was handed over
LONGEST_NAME = 200
UNUSABLE = ("unreadable", "channels")
ENDINGS = (".exr", ".hdr", ".tif", ".tiff", ".png", ".jpg", ".jpeg")
MOST_BYTES = 1024 * 1024 * 1024


@dataclass(frozen=True)
class Taken:
    """A picture taken in.

    Parameters
    ----------
    encoding : str
        ``linear``: it can be measured. ``display``: for looking only, its light was guessed with the plain view
        transform.
    transform : str
        The stated transform that was undone; empty when none was.
    """

    picture: Picture
    encoding: str
    transform: str
    checks: tuple[FileCheck, ...]


def take(path: Path, linear_exr: Path, transform: str = "", layer: str = "") -> Taken:
    """Read a picture file and write its linear light to `linear_exr`.

    Parameters
    ----------
    transform : str
        What the values of a display-encoded file went through: a view transform's name, a display's such as ``sRGB``
        for its plain one, ``linear`` for none, or empty when nobody has said. A file that holds linear light by itself
        needs none.
    layer : str
        Which layer of the file is the picture; empty for its own, or the one that is called so.

    Raises
    ------
    InputError
        When the file is no usable picture, has no such layer, or the transform is not known.
    """
    if path.stat().st_size > MOST_BYTES:
        raise InputError(f"is larger than {MOST_BYTES >> 20} MB")
    picture, checks = check_file(path, layer=layer, in_window=True)
    fatal = next((check for check in checks if check.code in UNUSABLE), None)
    if picture is None or fatal:
        raise InputError((fatal or checks[0]).message)
    encoded = any(check.code == "encoded" for check in checks)
    pixels = picture.pixels
    if encoded and transform != LINEAR:
        transform = view_transforms().meant(transform) if transform else ""
        pixels = view_transforms().undo(pixels, transform or view_transforms().default)
        if transform:
            checks = [check for check in checks if check.code != "encoded"]
    elif encoded:
        checks = [check for check in checks if check.code != "encoded"]
    kept = np.where(picture.valid[..., None], pixels, np.nan).astype(np.float32)
    write_exr(linear_exr, kept, half=picture.bits <= 16 and picture.floating)
    encoding = DISPLAY if encoded and not transform else LINEAR
    return Taken(picture, encoding, transform if encoded else "", tuple(checks))


def plain_name(name: str) -> str:
    """A file's name as text to show: no folders, no control letters, bounded. It is never used as a path."""
    base = name.replace("\\", "/").rpartition("/")[2]
    shown = "".join(letter for letter in base if letter.isprintable()).strip()
    return shown[:LONGEST_NAME] or "unnamed"
