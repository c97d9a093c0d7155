"""Checks on a picture file before anything is measured: a wrong file is named, not measured.

``stop`` means that nothing else is measured; ``warn`` goes with every figure.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np

from matchedpair.errors import PictureError
from matchedpair.measures.light import equal
from matchedpair.pictures import Picture, read_picture
from matchedpair.pictures.filters import light_of
from matchedpair.pictures.read import sound

Severity = Literal["stop", "warn"]
NAMED_PLACES = 5
TOO_MANY_INVALID = 0.01
CLIPPED_SHARE = 0.001
FEW_ROWS = 61
DISPLAY_SPACES = ("srgb", "g22", "rec709_display", "gamma")


@dataclass(frozen=True)
class FileCheck:
    """One thing found: a fixed code, how bad, a sentence, and places as (row, column) where that helps."""

    code: str
    severity: Severity
    message: str
    places: tuple[tuple[int, int], ...] = ()

    def row(self) -> dict[str, Any]:
        """Code, severity and message as plain values, for records."""
        return {"code": self.code, "severity": self.severity, "message": self.message}


def check_file(
    path: Path, expected_size: tuple[int, int] | None = None, layer: str = "", *, in_window: bool = False
) -> tuple[Picture | None, list[FileCheck]]:
    """Read a file, or a layer of it, as `read_picture` does, and check it; the picture is None when it cannot be read.
    Never raises for a bad file.
    """
    try:
        picture = read_picture(path, layer, in_window=in_window)
    except PictureError as error:
        return None, [FileCheck("unreadable", "stop", f"The picture cannot be read: {error.problem}.")]
    return picture, check_picture(picture, expected_size)


def check_picture(picture: Picture, expected_size: tuple[int, int] | None = None) -> list[FileCheck]:
    """All findings on a picture, worst first."""
    found = [
        *_size(picture, expected_size),
        *_channels(picture),
        *_not_finite(picture),
        *_encoded(picture),
    ]
    if picture.valid.any():
        lowest, highest = _range(picture)
        found += [*_dark_or_flat(picture, lowest, highest), *_negative(picture, lowest), *_clipped(picture)]
    return sorted(found, key=lambda check: check.severity != "stop")


def pixel_hash(picture: Picture) -> str:
    """Hash of size and pixels; files of bit-equal pictures may differ in the date that they carry."""
    digest = hashlib.blake2b(repr(picture.pixels.shape).encode(), digest_size=16)
    digest.update(np.ascontiguousarray(picture.pixels).data)
    return digest.hexdigest()


def check_identical(picture: Picture, other: Picture, other_name: str) -> list[FileCheck]:
    """Whether two pictures are bit-equal, which no two renders of different seeds or settings should be."""
    same = picture.size == other.size and equal(picture.pixels, other.pixels)
    return [identical(other_name)] if same else []


def identical(other_name: str, although: str = "") -> FileCheck:
    """The finding on a picture that is bit-equal to another; `although` says why it should not be."""
    return FileCheck("identical", "warn", f"The picture is bit-equal to {other_name}{although}.")


def stops(checks: Iterable[FileCheck]) -> bool:
    """Whether any finding forbids measuring."""
    return any(check.severity == "stop" for check in checks)


def storage_step(picture: Picture) -> float:
    """The relative step between two values that the picture's file can hold."""
    if picture.floating:
        return 2.0**-11 if picture.bits <= 16 else 2.0**-24
    return 2.0 ** -(picture.bits + 1)


def _size(picture: Picture, expected: tuple[int, int] | None) -> list[FileCheck]:
    if expected is None or picture.size == expected:
        return []
    came, wanted = "×".join(map(str, picture.size)), "×".join(map(str, expected))
    return [FileCheck("size", "stop", f"The picture is {came} pixels; {wanted} was asked for.")]


def _channels(picture: Picture) -> list[FileCheck]:
    if len(picture.channels) >= 3:
        return []
    names = ", ".join(picture.channels)
    return [FileCheck("channels", "stop", f"The picture has no colour channels, only {names}.")]


def _not_finite(picture: Picture) -> list[FileCheck]:
    if picture.valid.all():
        return []
    bad = ~sound(picture.pixels)
    count = int(bad.sum())
    if count == 0:
        return []
    severity: Severity = "stop" if count > TOO_MANY_INVALID * bad.size else "warn"
    rows, columns = np.nonzero(bad)
    places = tuple((int(r), int(c)) for r, c in zip(rows[:NAMED_PLACES], columns[:NAMED_PLACES], strict=True))
    first = f"the first at row {places[0][0]}, column {places[0][1]}"
    verb = "pixel is" if count == 1 else "pixels are"
    absurd = bool(np.isfinite(picture.pixels[bad]).all(axis=-1).any())
    what = "not finite, or brighter than light can be" if absurd else "not finite"
    return [FileCheck("not_finite", severity, f"{count} {verb} {what}, {first}.", places)]


def _encoded(picture: Picture) -> list[FileCheck]:
    space = picture.colour_space.lower()
    if picture.floating and not space.startswith(DISPLAY_SPACES):
        return []
    kind = f"{picture.bits}-bit" if not picture.floating else f"marked {picture.colour_space}"
    message = f"The picture looks display-encoded ({kind}), not linear light; it can be looked at but not measured."
    return [FileCheck("encoded", "stop", message)]


def _dark_or_flat(picture: Picture, lowest: float, highest: float) -> list[FileCheck]:
    if highest <= 0.0:
        return [FileCheck("black", "stop", "The picture is all black; check exposure, lights and view.")]
    if highest - lowest > 2 * highest:
        return []
    if all(_is_flat(picture, rows, highest) for rows in (slice(None, None, FEW_ROWS), slice(None))):
        return [FileCheck("flat", "stop", "The picture is one flat value; nothing was rendered in it.")]
    return []


def _is_flat(picture: Picture, rows: slice, highest: float) -> bool:
    """Whether the luminance of these rows is one value; a few rows tell most pictures that are not flat."""
    y = light_of(np.ascontiguousarray(picture.pixels[rows]))[picture.valid[rows]]
    return not y.size or float(y.max() - y.min()) <= 1e-6 * abs(highest)


def _negative(picture: Picture, lowest: float) -> list[FileCheck]:
    if lowest >= 0.0:
        return []
    count = int(((picture.pixels < 0.0).any(axis=-1) & picture.valid).sum())
    return [FileCheck("negative", "warn", f"{count} pixels hold negative light.")]


def _range(picture: Picture) -> tuple[float, float]:
    """Lowest and highest valid value of any channel."""
    values = picture.pixels if picture.valid.all() else picture.pixels[picture.valid]
    return float(values.min()), float(values.max())


def _clipped(picture: Picture) -> list[FileCheck]:
    if picture.floating or picture.bits > 8:
        return []
    share = float((picture.pixels[picture.valid] >= 1.0).all(axis=-1).mean())
    if share <= CLIPPED_SHARE:
        return []
    return [FileCheck("clipped", "warn", f"{share:.1%} of the pixels sit at the top of the 8-bit range.")]
