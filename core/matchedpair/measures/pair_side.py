"""One side of a pair: its pictures and what they say by themselves, made once for all the pairs that it stands in."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.blotches import MOST_OF_HEIGHT, Blotches
from matchedpair.measures.light import Light
from matchedpair.measures.noise import TwinNoise
from matchedpair.measures.region import Region
from matchedpair.measures.render import Viewing
from matchedpair.measures.twins import twin_problem
from matchedpair.measures.visible import own_noise_map, visible_maps
from matchedpair.pictures.display import display_light
from matchedpair.pictures.picture import Floats, Mask

OTHER_SIZE = "the sizes differ: noise of a pixel is not the noise seen; look at both at one apparent size"


class PairSide:
    """Renders that are alike in all but the seed, as one side of a pair.

    Parameters
    ----------
    pictures : sequence of ndarray, shape (H, W, 3)
        Linear light, one a seed; only the first counts where they are no twins.
    valid : ndarray of bool, shape (H, W)
        Where all pictures of the pair count.
    viewing : Viewing, optional
    known : str, optional
        What `twin_problem` said of these pictures over these pixels, where that is known already.

    Raises
    ------
    RefusedError
        When nothing at all can be measured.
    """

    def __init__(
        self, pictures: Sequence[Floats], valid: Mask, *, viewing: Viewing | None = None, known: str | None = None
    ) -> None:
        self.viewing = viewing or Viewing()
        self.valid = valid
        light = Light(pictures, valid)
        light.twins_problem = known
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
    def blotch_scale(self) -> float | None:
        """The scale of its slow patches in pixels; None when there are none, or nothing to tell them by."""
        if len(self.light.y) < 2:
            return None
        region = Region(self.valid)
        try:
            found = Blotches(self.light.differences(), region, share=0.5, method="twin").figure(region)
        except RefusedError:
            return None
        if not found.found:
            return None
        return found.scale.value if found.scale else self.light.shape[0] / MOST_OF_HEIGHT

    @cached_property
    def own_visible(self) -> Floats:
        """Visible noise of one of its pictures at each pixel, shape (H, W); it needs a twin."""
        return own_noise_map(self.seen_beside(self.pictures[1:]))

    def seen_beside(self, others: Sequence[Floats]) -> list[Floats]:
        """ΔE of its first picture against each of these at each pixel, black where they do not count."""
        pictures = [self._whole(each) for each in (self.pictures[0], *others)]
        return visible_maps(pictures, self._display, self.viewing.pixels_per_degree)

    def _whole(self, picture: Floats) -> Floats:
        return picture if self.light.all_valid else np.where(self.valid[..., None], picture, np.float32(0.0))

    def _display(self, pixels: Floats) -> Floats:
        return display_light(pixels, self.viewing.transform, self.viewing.exposure)


def refuse_other_size(pictures: Sequence[Floats]) -> None:
    """Raise `RefusedError` unless all pictures are of one size."""
    if any(picture.shape != pictures[0].shape for picture in pictures):
        raise RefusedError("pair", OTHER_SIZE)
