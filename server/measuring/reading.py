"""The pictures of options and pairs, read to be measured; what is known of them already is not found again."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass
from hashlib import sha256
from threading import Lock

import numpy as np
from matchedpair.elsewhere import DISPLAY
from matchedpair.errors import RefusedError
from matchedpair.measures.drawn_zones import LEAVE_OUT, DrawnZone, measured_mask
from matchedpair.measures.light import Found
from matchedpair.measures.pair import PairMeasures
from matchedpair.measures.pair_side import PairSide, refuse_other_size
from matchedpair.measures.render import RenderMeasures, Viewing
from matchedpair.pictures.picture import Floats, Mask
from matchedpair.plans.until_sure import MOST_SEEDS

from server.catalogue.engines import denoisers_in, has_twins
from server.measuring.inputs import counted_runs
from server.measuring.which_reference import reference_pictures
from server.references.models import Reference
from server.runs.models import Run
from server.store.pixels import stored_picture
from server.studies.models import Option, Pair, Setup

ENCODED = "the pictures are display-encoded; state their view transform to measure them"
MOST_PIXELS = 80_000_000  # of all pictures of an option held at once, four at least
LEAST_SEEDS = 4
Looked = tuple[tuple[str, ...], bytes]  # hashes of pictures, and of where they count
MOST_FOUND = 4096
MOST_KEPT = 5_000_000  # pixels of a control's pictures, up to which it is kept from pair to pair: two of 1920×1080
_known: OrderedDict[Looked, Found] = OrderedDict()
_lock = Lock()


def render_measures(
    option: Option, runs: Sequence[Run], within: list[DrawnZone], reference: Reference | None
) -> RenderMeasures:
    """The core's measures of an option's pictures. Raises `RefusedError`, or `PictureError` when one is missing."""
    read = _read(_Source.of(option.setup, runs, within))
    judged = [stored_picture(digest) for digest in reference_pictures(reference)]
    return RenderMeasures(
        read.pixels, read.valid, references=[picture.pixels for picture in judged],
        reference_valid=np.logical_and.reduce([picture.valid for picture in judged]) if judged else None,
        viewing=Viewing(option.setup.view_transform), smoothed=_smoothed(option), found=_found(read, read.valid),
    )  # fmt: skip


class ControlKept:
    """The last control that was compared, for the pairs of a study that share it."""

    def __init__(self) -> None:
        self._read: _Read | None = None
        self._side: PairSide | None = None

    def read(self, setup: Setup, runs: Sequence[Run], within: list[DrawnZone]) -> _Read:
        """The control's pictures. Raises `RefusedError` or `PictureError`."""
        source = _Source.of(setup, runs, within)
        if self._read is None or self._read.source != source:
            self._read, self._side = None, None
            self._read = _read(source)
        return self._read

    def side(self, read: _Read, valid: Mask, viewing: Viewing) -> PairSide:
        """The side of what `read` gave, over these pixels. Raises `RefusedError`."""
        kept = self._side
        if kept is not None and kept.viewing == viewing and np.array_equal(kept.valid, valid):
            return kept
        side = _side(read, valid, viewing)
        if len(read.pixels) * valid.size <= MOST_KEPT:
            self._side = side
        return side


def pair_measures(pair: Pair, within: list[DrawnZone], kept: ControlKept | None = None) -> PairMeasures:
    """The core's measures of a pair's pictures. Raises `RefusedError`, or `PictureError` when one is missing.

    What is known of the control alone is taken from `kept`, and kept there.
    """
    kept = kept or ControlKept()
    control = kept.read(pair.control.setup, counted_runs(pair.control), within)
    trial = _read(_Source.of(pair.trial.setup, counted_runs(pair.trial), within))
    refuse_other_size([*control.pixels, *trial.pixels])
    valid, viewing = control.valid & trial.valid, Viewing(pair.control.setup.view_transform)
    return PairMeasures(kept.side(control, valid, viewing), _side(trial, valid, viewing))


def _side(read: _Read, valid: Mask, viewing: Viewing) -> PairSide:
    return PairSide(read.pixels, valid, viewing=viewing, found=_found(read, valid))


def _found(read: _Read, valid: Mask) -> Found:
    """What was found of these pictures over these pixels: an option is measured itself, and compared in many pairs."""
    where = b"" if bool(valid.all()) else sha256(np.packbits(valid).tobytes()).digest()
    with _lock:
        found = _known.setdefault((tuple(read.source.digests), where), Found())
        while len(_known) > MOST_FOUND:
            _known.popitem(last=False)
    return found


@dataclass(frozen=True)
class _Source:
    """What is read where: the pictures of an option's first seeds, and the zones that are left out of them."""

    digests: list[str]
    size: tuple[int, int]
    crop: tuple[int, int, int, int] | None
    left_out: list[DrawnZone]

    @classmethod
    def of(cls, setup: Setup, runs: Sequence[Run], within: list[DrawnZone]) -> _Source:
        """Raises `RefusedError`."""
        described = setup.description()
        left_out = [each for each in within if each.kind == LEAVE_OUT]
        return cls(_judged(setup, runs), (described.width, described.height), described.crop, left_out)


@dataclass(frozen=True)
class _Read:
    """Pictures, and where all of them count."""

    source: _Source
    pixels: list[Floats]
    valid: Mask


def _read(source: _Source) -> _Read:
    """Raises `RefusedError` or `PictureError`."""
    pictures = [stored_picture(digest) for digest in source.digests]
    if len({picture.size for picture in pictures}) > 1:
        raise RefusedError("noise", "the pictures differ in size")
    valid = np.logical_and.reduce([picture.valid for picture in pictures])
    valid = measured_mask(source.left_out, source.size, source.crop, valid)
    return _Read(source, [picture.pixels for picture in pictures], valid)


def _judged(setup: Setup, runs: Sequence[Run]) -> list[str]:
    """The hashes of the pictures that are measured. Raises `RefusedError`."""
    if any(run.encoding == DISPLAY for run in runs):
        raise RefusedError("noise", ENCODED)
    width, height = setup.description().picture_size
    seeds = max(LEAST_SEEDS, min(MOST_SEEDS, MOST_PIXELS // max(width * height, 1)))
    if runs and not has_twins(runs[0].option.engine):
        runs = runs[:1]  # the others are the same picture again, made for their time
    digests = [run.picture for run in runs[:seeds] if run.picture]
    if not digests:
        raise RefusedError("noise", "there is no finished render")
    return digests


def _smoothed(option: Option) -> str:
    """Why one picture of this option hides its noise; empty when nothing is known to smooth it."""
    on = denoisers_in(option.engine, option.settings)
    return "a denoiser is on, so one picture hides its noise; render a twin" if on else ""
