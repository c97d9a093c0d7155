"""All measures of a render, from its seeds and its reference: everything that several of them need is got once."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property, partial
from threading import Lock
from typing import Any, TypeVar

import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.alignment import Alignment, Landmarks, alignment
from matchedpair.measures.blotches import Blotches, BlotchFigure, both_ways, varying_blotches
from matchedpair.measures.detail import Detail, Octave
from matchedpair.measures.error import ErrorFigure, ErrorMaps, relative_error
from matchedpair.measures.figure import Figure
from matchedpair.measures.fireflies import Fireflies, FireflyFigure
from matchedpair.measures.light import Found, Light, equal
from matchedpair.measures.look import LookFigure, look
from matchedpair.measures.noise import NoiseFigure, TwinNoise
from matchedpair.measures.region import Region
from matchedpair.measures.seen_noise import SeenNoise
from matchedpair.measures.single_noise import SingleNoise, single_noise
from matchedpair.measures.small_matrices import on_one_thread
from matchedpair.measures.twins import twin_problem
from matchedpair.measures.visible import (
    PIXELS_PER_DEGREE,
    VisibleFigure,
    VisibleNoise,
    own_noise_map,
    visible_figure,
    visible_maps,
    visible_noise,
)
from matchedpair.pictures.display import display_light
from matchedpair.pictures.picture import Floats, Mask
from matchedpair.pictures.strips import side_by_side

on_one_thread()
NO_REFERENCE = "there is no reference to judge by"
T = TypeVar("T")


@dataclass(frozen=True)
class Viewing:
    """How pictures are looked at: view transform (empty for plain sRGB), exposure in stops, pixels per degree."""

    transform: str = ""
    exposure: float = 0.0
    pixels_per_degree: float = PIXELS_PER_DEGREE


@dataclass(frozen=True)
class ZoneMeasures:
    """Everything that was measured in one zone; what was not is None, with the reason in `refused` under its name."""

    noise: NoiseFigure | None
    single: SingleNoise | None
    noise_without_fireflies: Figure | None
    noise_seen: Figure | None
    fireflies: FireflyFigure | None
    first_fireflies: FireflyFigure | None
    blotches: BlotchFigure | None
    error: ErrorFigure | None
    detail: tuple[Octave, ...] | None
    look: LookFigure | None
    visible: VisibleFigure | None
    visible_noise: VisibleNoise | None
    refused: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Stage:
    """Some of the measures: the maps that they are read from, rows of them at once and each row in order; their names;
    and whether they are the last that need colours.
    """

    maps: tuple[tuple[str, ...], ...]
    figures: tuple[str, ...]
    colours: bool = False


# what is seen first, since nothing after it needs more than brightness
STAGES = (
    Stage((("_seen_noise",),), ("look", "noise.seen_percent")),
    Stage((("_seen_together", "_visible_map", "_own_visible"),), ("visible", "noise.visible"), colours=True),
    Stage((("_error",), ("_detail",)), ("error", "detail")),
    Stage((("_lasting_blotches",), ("_blotches",)), ("blotches",)),
    Stage((("_fireflies", "_calm"),), ("fireflies", "noise.without_fireflies_percent")),
    Stage((("_noise",),), ("noise",)),
)  # fmt: skip


@dataclass
class _Asked:
    """A zone's figures, and what was found of them."""

    figures: dict[str, Callable[[], Any]]
    found: dict[str, Any] = field(default_factory=dict)

    def told(self) -> ZoneMeasures:
        """All of them; what was refused with the reason."""
        refused = {name: self.found[name] for name in sorted(self.found) if isinstance(self.found[name], str)}
        told: dict[str, Any] = {name: None if name in refused else figure for name, figure in self.found.items()}
        noise = told["noise"]
        return ZoneMeasures(
            noise=noise if isinstance(noise, NoiseFigure) else None,
            single=noise if isinstance(noise, SingleNoise) else None,
            noise_without_fireflies=told["noise.without_fireflies_percent"],
            noise_seen=told["noise.seen_percent"],
            fireflies=told["fireflies"][0] if told["fireflies"] else None,
            first_fireflies=told["fireflies"][1] if told["fireflies"] else None,
            blotches=told["blotches"],
            error=told["error"],
            detail=told["detail"],
            look=told["look"],
            visible=told["visible"],
            visible_noise=told["noise.visible"],
            refused=refused,
        )


def nothing_measured(refused: dict[str, str]) -> ZoneMeasures:
    """A zone of which nothing could be measured, with the reasons."""
    return ZoneMeasures(None, None, None, None, None, None, None, None, None, None, None, None, refused)


class RenderMeasures:
    """Measures of one render.

    Parameters
    ----------
    pictures : sequence of ndarray, shape (H, W, 3)
        Linear light, one a seed.
    valid : ndarray of bool, shape (H, W)
        Where all of them count; what is left out does not.
    references : sequence of ndarray
        The reference, and its twin when there is one.
    reference_valid : ndarray of bool, shape (H, W), optional
    viewing : Viewing
    no_twin, no_reference : str
        Why there is none, when a better reason is known.
    smoothed : str
        Why one picture cannot show its noise (a denoiser is on), when that is known.
    found : Found, optional
        What is known of the pictures already.

    Raises
    ------
    RefusedError
        When nothing at all can be measured.
    """

    def __init__(
        self,
        pictures: Sequence[Floats],
        valid: Mask,
        *,
        references: Sequence[Floats] = (),
        reference_valid: Mask | None = None,
        viewing: Viewing | None = None,
        no_twin: str = "",
        no_reference: str = NO_REFERENCE,
        smoothed: str = "",
        found: Found | None = None,
    ) -> None:
        self.viewing = viewing or Viewing()
        self.light = Light(pictures, valid, found=found)
        self.no_twins = twin_problem(self.light)
        if self.no_twins:
            pictures, no_twin = pictures[:1], self.no_twins
            self.light = Light(pictures, valid)
        self._pictures, self._references = list(pictures), list(references)
        self._no_twin, self._smoothed = no_twin, smoothed
        self._no_reference = "" if references else no_reference
        self.reference: Light | None = None
        if references:
            try:
                counted = valid if reference_valid is None else valid & reference_valid
                self.reference = self._reference_light(counted)
            except RefusedError as refusal:
                self._no_reference = f"the reference: {refusal.reason}"

    def _reference_light(self, counted: Mask) -> Light:
        if self._references[0].shape != self._pictures[0].shape:
            raise RefusedError("reference", "it has another size than the render")
        if any(equal(picture, reference) for picture in self._pictures for reference in self._references):
            raise RefusedError("reference", "it is one of these very renders, which cannot be judged by themselves")
        return Light(self._references, counted)

    @cached_property
    def alignment(self) -> Alignment | None:
        """How the render lies over the reference; None without one."""
        return None if self.reference is None else alignment(Landmarks(self.reference), Landmarks(self.light))

    def zone(self, mask: Mask) -> ZoneMeasures:
        """Measure one zone, a mask of shape (H, W); what does not depend on it is kept for the next."""
        return self._measured([mask], keep=True)[0]

    def zones(self, masks: Iterable[Mask]) -> list[ZoneMeasures]:
        """Measure each zone, and nothing after them: measure by measure over all of them, so that no more is in memory
        than the next needs. A large picture's maps together take several times what it does. Masks are not kept.
        """
        return self._measured(masks, keep=False)

    def _measured(self, masks: Iterable[Mask], *, keep: bool) -> list[ZoneMeasures]:
        _ = self.light.mean, self.light.median_5, self.alignment
        zones = [self._asked(mask) for mask in masks]
        for stage in STAGES:
            side_by_side(self._make, stage.maps, self.light.shape)
            asked = [(zone, name) for name in stage.figures for zone in zones if isinstance(zone, _Asked)]
            found = side_by_side(lambda row: _figure_or_reason(row[0].figures[row[1]]), asked, self.light.shape)
            for (zone, name), figure in zip(asked, found, strict=True):
                zone.found[name] = figure
            if not keep:
                self._let_go(stage)
        return [zone.told() if isinstance(zone, _Asked) else zone for zone in zones]

    def _make(self, names: Sequence[str]) -> None:
        """Get maps, one after the other; why one is refused is told where it is asked for."""
        for name in names:
            _figure_or_reason(partial(getattr, self, name))

    def _let_go(self, stage: Stage) -> None:
        for name in (name for names in stage.maps for name in names):
            vars(self).pop(name, None)
        if stage.colours:
            self._pictures, self._references = [], []

    def _asked(self, mask: Mask) -> _Asked | ZoneMeasures:
        """The figures of a zone, each to be asked for once its maps are there."""
        try:
            region = Region(mask & self.light.valid)
        except RefusedError as refusal:
            names = ("noise", "fireflies", "blotches", "error", "detail", "look", "visible")
            return nothing_measured(dict.fromkeys(names, refusal.reason))

        def both() -> Region:
            if self.reference is None or self.reference.all_valid:
                return region
            return Region(region.mask & self.reference.valid)

        judged = _once(both)
        twins = _once(lambda: self._noise.figure(region))
        return _Asked({
            "look": lambda: self._look(judged()),
            "noise": lambda: self._noise_or_guess(region, twins),
            "noise.without_fireflies_percent": lambda: self._calm_noise(region, twins),
            "noise.seen_percent": lambda: self._seen_noise.figure(region),
            "fireflies": lambda: (self._fireflies.figure(region), self._fireflies.figure(region, seeds=1)),
            "blotches": lambda: self._blotch_figure(region),
            "error": lambda: self._error.figure(judged()),
            "detail": lambda: self._detail.octaves(judged()),
            "visible": lambda: self._visible(judged()),
            "noise.visible": lambda: visible_noise(self._own_visible, region, self.light.correlation),
        })  # fmt: skip

    def layer(self, name: str) -> Floats:
        """A map by the name of its layer, shape (H, W). Raises `RefusedError` with the reason when there is none."""
        if name == "noise":
            shown = self._noise.percent()
        elif name == "visible_noise":
            shown = self._own_visible
        elif name == "fireflies":
            shown = self._fireflies.places()
        elif name == "blotches":
            shown = self._slow_patches()
        elif name == "error":
            shown = self._error.percent()
        else:
            shown = self._visible_map
        return np.where(self.light.valid, shown, np.float32(np.nan)).astype(np.float32)

    @cached_property
    def _noise(self) -> TwinNoise:
        if self._no_twin:
            raise RefusedError("noise", self._no_twin)
        return TwinNoise(self.light)

    @cached_property
    def _calm(self) -> TwinNoise:
        return TwinNoise(self.light, self._fireflies.mask) if self._fireflies.mask.any() else self._noise

    def _noise_or_guess(self, region: Region, twins: Callable[[], NoiseFigure]) -> NoiseFigure | SingleNoise:
        if len(self.light.y) < 2 and not self._no_twin:
            return self._single(region)
        return twins()

    def _calm_noise(self, region: Region, twins: Callable[[], NoiseFigure]) -> Figure:
        if self._calm is self._noise:
            return twins().total
        return self._calm.total(Region(region.mask & self._calm.counted))

    def _single(self, region: Region) -> SingleNoise:
        if self._smoothed:
            raise RefusedError("noise", self._smoothed)
        return single_noise(self.light, region)

    @cached_property
    def _seen_noise(self) -> SeenNoise:
        if len(self.light.y) < 2:
            raise RefusedError("noise.seen_percent", self._no_twin or "it needs a second seed")
        return SeenNoise(self._pictures, self._display)

    @cached_property
    def _fireflies(self) -> Fireflies:
        aligned = self.reference is not None and self.alignment is not None and not self.alignment.shifted
        return Fireflies(self.light, self.reference.mean if self.reference is not None and aligned else None)

    @cached_property
    def _blotches(self) -> Blotches:
        if len(self.light.y) > 1:
            return varying_blotches(self.light)
        if self.reference is None:
            raise RefusedError(
                "blotches",
                self._no_twin or "one picture alone does not tell slow patches from the scene; render a twin",
            )
        reference = self._compared("error", by_pixel=True)
        plane = relative_error(self.light.y[0], reference)
        return Blotches([plane], Region(reference.valid), share=1.0, method="reference")

    def _blotch_figure(self, region: Region) -> BlotchFigure:
        """By the twins and, where there is a reference, also against it."""
        lasting = self._lasting_blotches
        if lasting is None:
            return self._blotches.figure(region)
        return both_ways(self._blotches, lasting, region, len(self.light.y))

    @cached_property
    def _lasting_blotches(self) -> Blotches | None:
        """Of the seeds' mean against the reference; None without twins, or where pixels cannot be compared with it."""
        if len(self.light.y) < 2 or self.reference is None:
            return None
        try:
            reference = self._compared("error", by_pixel=True)
        except RefusedError:
            return None
        plane = relative_error(self.light.mean, reference)
        return Blotches([plane], Region(reference.valid), share=1.0, method="reference")

    def _slow_patches(self) -> Floats:
        height, width = self.light.shape
        slow = self._blotches.slow()
        return np.repeat(np.repeat(slow, 2, axis=0), 2, axis=1)[:height, :width]

    def _compared(self, measure: str, *, by_pixel: bool) -> Light:
        """The reference, when what is measured may be compared with it. Raises `RefusedError`."""
        if self.reference is None or self.alignment is None:
            raise RefusedError(measure, self._no_reference)
        reason = self.alignment.shifted or (self.alignment.filtered if by_pixel else "")
        if reason:
            raise RefusedError(measure, f"against the reference, {reason}")
        return self.reference

    @cached_property
    def _error(self) -> ErrorMaps:
        return ErrorMaps(self.light, self._compared("error", by_pixel=True))

    @cached_property
    def _detail(self) -> Detail:
        return Detail(self.light, self._compared("detail", by_pixel=False))

    def _look(self, region: Region) -> LookFigure:
        reference = self._compared("look", by_pixel=False)
        return look(self.light, self._pictures, reference, self._references, region, method="reference")

    @cached_property
    def _visible_map(self) -> Floats:
        """ΔE against the reference."""
        reference = self._compared("visible", by_pixel=False)
        if self._seen_together is not None:
            return self._seen_together[-1]
        return self._seen([self._pictures[0], self._references[0]], reference.valid)[0]

    @cached_property
    def _own_visible(self) -> Floats:
        """Visible noise of one picture."""
        if len(self.light.y) < 2:
            raise RefusedError("noise.visible", self._no_twin or "it needs a second seed")
        together = self._seen_together
        return own_noise_map(self._seen(self._pictures, self.light.valid) if together is None else together[:-1])

    @cached_property
    def _seen_together(self) -> list[Floats] | None:
        """ΔE of the first picture against each twin and, last, against the reference: the eye's view of it is got once.

        None where one of them cannot be compared, or where other pixels count.
        """
        try:
            reference = self._compared("visible", by_pixel=False)
        except RefusedError:
            return None
        if len(self.light.y) < 2 or not (self.light.all_valid and reference.all_valid):
            return None
        return self._seen([*self._pictures, self._references[0]], self.light.valid)

    def _seen(self, pictures: Sequence[Floats], valid: Mask) -> list[Floats]:
        whole = [_without_holes(each, valid) for each in pictures]
        return visible_maps(whole, self._display, self.viewing.pixels_per_degree)

    def _display(self, pixels: Floats) -> Floats:
        return display_light(pixels, self.viewing.transform, self.viewing.exposure)

    def _visible(self, region: Region) -> VisibleFigure:
        own = self._own_visible if len(self.light.y) > 1 else None
        return visible_figure(self._visible_map, own, region, self.viewing.pixels_per_degree)


def _without_holes(pixels: Floats, valid: Mask) -> Floats:
    """The pixels, black where they do not count; the same array when all count."""
    return pixels if valid.all() else np.where(valid[..., None], pixels, np.float32(0.0))


def _once(compute: Callable[[], T]) -> Callable[[], T]:
    """Computes when first asked, once also where two threads ask at the same time."""
    found: list[T] = []
    lock = Lock()

    def get() -> T:
        with lock:
            if not found:
                found.append(compute())
        return found[0]

    return get


def _figure_or_reason(measure: Callable[[], T]) -> T | str:
    """What a measure gives, or why it refuses."""
    try:
        return measure()
    except RefusedError as refusal:
        return refusal.reason
