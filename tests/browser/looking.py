"""A pair in a real browser, whose pictures are known to the last pixel."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from matchedpair.pictures.view_transform import view_transforms

from server.measuring.measuring import measure_outstanding
from server.runs.models import Run
from server.store.files import keep
from server.studies.models import Option
from tests.browser.base import BrowserTest
from tests.pictures import write
from tests.server.base import finish_all

PLAIN = "sRGB - Display / Un-tone-mapped"


def stored(picture: np.ndarray, kind: str = "half") -> str:
    """The content hash of a picture put into the store."""
    return keep(write(Path(settings.HOME) / "p.exr", picture, kind).read_bytes(), ".exr")


def displayed(light: np.ndarray, exposure: float = 0.0, transform: str = PLAIN) -> np.ndarray:
    """What the library says that light of shape (…, 3) looks like, of 255."""
    flat = np.asarray(light, dtype=np.float32).reshape(1, -1, 3)
    shown = view_transforms().apply(flat, transform, exposure)
    return np.round(255 * np.clip(shown, 0, 1)).reshape(np.shape(light)).astype(int)


class LookingTest(BrowserTest):
    """Opens pairs and reads what the canvas shows."""

    def with_pictures(self, control: np.ndarray, trial: np.ndarray, measured: bool = False, **changes: Any) -> Any:
        """A finished pair of these pictures, both seeds of a side alike unless it is to be measured."""
        height, width = control.shape[:2]
        study = self.create(**({"width": width, "height": height} | changes))
        finish_all(study)
        if measured:
            measure_outstanding(Option.objects.all())
        for side, picture in (("control", control), ("trial", trial)):
            runs = Run.objects.filter(study=study, option__side=side, warm_up=False)
            runs.filter(seed=1).update(picture=stored(picture))
        return study.pairs.get()

    def open_pair(self, pair: Any, words: str = "") -> None:
        self.open(f"/pairs/{pair.pk}{words}")
        self.settled()
        self.stage = self.page.get_by_label("Pictures", exact=True)
        self.box = self.stage.bounding_box()

    def settled(self) -> None:
        """Until all tiles are there and drawn at full sharpness."""
        self.page.wait_for_selector("canvas[data-sharp=true]")
        self.drawn_anew()
        self.page.wait_for_selector("canvas[data-sharp=true]")

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)
        self.drawn_anew()
        self.settled()

    def shown(self) -> np.ndarray:
        """What the stage shows, shape (H, W, 3), of 255."""
        left, top = int(np.ceil(self.box["x"])), int(np.ceil(self.box["y"]))
        right, bottom = int(self.box["x"] + self.box["width"]), int(self.box["y"] + self.box["height"])
        return self.screen()[top:bottom, left:right].astype(int)

    def middle(self, width: int, height: int, left: float = 0.0, across: float = 1.0) -> np.ndarray:
        """So many screen pixels around the middle of a part of the stage's width."""
        shown = self.shown()
        begin = round(left * shown.shape[1] + (across * shown.shape[1] - width) / 2)
        top = round((shown.shape[0] - height) / 2)
        return shown[top : top + height, begin : begin + width]

    def place_of(self, picture: np.ndarray, level: int = 0) -> tuple[int, int]:
        """Where a small picture of display values lies on the stage, by its first row; fails when it is not there."""
        shown = self.shown()
        height, width = picture.shape[:2]
        corners = shown[: shown.shape[0] - height + 1, : shown.shape[1] - width + 1]
        alike = (abs(corners - picture[0, 0]) <= level).all(axis=-1)
        for top, left in np.argwhere(alike).tolist():
            if abs(shown[top : top + height, left : left + width] - picture).max() <= level:
                return left, top
        raise AssertionError("the picture is not on the stage")
