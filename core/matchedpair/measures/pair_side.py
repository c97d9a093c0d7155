"""One side of a pair: its pictures and what they say by themselves, made once for all the pairs that it stands in."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.alignment import Landmarks
from matchedpair.measures.blotches import varying_blotches
from matchedpair.measures.light import Found, Light
from matchedpair.measures.noise import TwinNoise
from matchedpair.measures.render import Viewing
from matchedpair.measures.twins import twin_problem
from matchedpair.measures.visible import View, apart, own_noise_map, seen, visible_maps
from matchedpair.pictures.display import display_light
from matchedpair.pictures.picture import Floats, Mask

OTHER_SIZE = "the sizes differ: noise of a pixel is not the noise seen; look at both at one apparent size"
MOST_SEEN = 2_200_000  # pixels of a picture of which what the eye takes in is kept from pair to pair


class PairSide:
    """Renders that are alike in all but the seed, as one side of a pair.

    Parameters
    ----------
    pictures : sequence of ndarray, shape (H, W, 3)
        Linear light, one a seed; only the first counts where they are no twins.
    valid : ndarray of bool, shape (H, W)
        Where all pictures of the pair count.
    viewing : Viewing, optional
    found : Found, optional
        What is known of them already.

    Raises
    ------
    RefusedError
        When nothing at all can be measured.
    """

    def __init__(
        self, pictures: Sequence[Floats], valid: Mask, *, viewing: Viewing | None = None, found: Found | None = None
    ) -> None:
        self.viewing = viewing or Viewing()
        self.valid = valid
        light = Light(pictures, valid, found=found)
        self.no_twins = twin_problem(light)
        if self.no_twins:
            light = Light(pictures[:1], valid)
        self.light = light
        self.pictures = list(pictures[: len(light.y)])

    @cached_property
    def twin_noise(self) -> TwinNoise:
        """Its noise, zone by zone."""
        return TwinNoise(self.light)

    @cached_property
    def landmarks(self) -> Landmarks:
        """What it is laid over other sides by."""
        return Landmarks(self.light)

    @property
    def blotch_scale(self) -> float | None:
        """The scale of its slow patches in pixels; None when there are none, or nothing to tell them by."""
        if len(self.light.y) < 2:
            return None
        if not self.light.found.blotch_scale:
            varying_blotches(self.light)
        return self.light.found.blotch_scale[0]

    @cached_property
    def own_visible(self) -> Floats:
        """Visible noise of one of its pictures at each pixel, shape (H, W); it needs a twin."""
        return own_noise_map(self.seen_beside(self.pictures[1:]))

    def seen_beside(self, others: Sequence[Floats]) -> list[Floats]:
        """ΔE of its first picture against each of these at each pixel, black where they do not count."""
        if self.valid.size <= MOST_SEEN:
            return [apart(self._seen, self._eye(each)) for each in others]
        pictures = [self._whole(each) for each in (self.pictures[0], *others)]
        return visible_maps(pictures, self._display, self.viewing.pixels_per_degree)

    @cached_property
    def _seen(self) -> View:
        return self._eye(self.pictures[0])

    def _eye(self, picture: Floats) -> View:
        return seen(self._whole(picture), self._display, self.viewing.pixels_per_degree)

    def _whole(self, picture: Floats) -> Floats:
        return picture if self.light.all_valid else np.where(self.valid[..., None], picture, np.float32(0.0))

    def _display(self, pixels: Floats) -> Floats:
        return display_light(pixels, self.viewing.transform, self.viewing.exposure)


def refuse_other_size(pictures: Sequence[Floats]) -> None:
    """Raise `RefusedError` unless all pictures are of one size."""
    if any(picture.shape != pictures[0].shape for picture in pictures):
        raise RefusedError("pair", OTHER_SIZE)
