"""From linear light to what a display shows, with OpenColorIO.

The studio's configuration is taken from ``MATCHEDPAIR_OCIO`` or ``OCIO`` (a file), else one that ships with
OpenColorIO. A transform is named by its display and view, as ``DISPLAY / VIEW``.
"""

from __future__ import annotations

import os
from dataclasses import dataclass
from functools import cache, cached_property

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from matchedpair.errors import InputError
from matchedpair.pictures.picture import Floats
from matchedpair.pictures.pyramid_kernels import LARGEST_HALF

BUILT_IN = "ocio://cg-config-v2.1.0_aces-v1.3_ocio-v2.3"
SCENE_LINEAR = ("lin_rec709_srgb", "lin_rec709", "Linear Rec.709 (sRGB)", "lin_srgb", "Linear sRGB")
SEPARATOR = " / "
MOST_NAMED = 6
PLAIN_VIEW = "Un-tone-mapped"
SHADER_FUNCTION = "toDisplay"


@dataclass(frozen=True)
class ShaderTexture:
    """A table that a transform's shader looks values up in.

    Parameters
    ----------
    sampler : str
        Its name in the shader.
    width, height, depth : int
        Depth is 0 for a flat one.
    channels : int
        1 or 3.
    smooth : bool
        Whether values between its points are interpolated.
    values : ndarray of float16
        First channel, then across, down and in depth.
    """

    sampler: str
    width: int
    height: int
    depth: int
    channels: int
    smooth: bool
    values: NDArray[np.float16]


@dataclass(frozen=True)
class TransformShader:
    """A transform as GLSL ES 3.00: `SHADER_FUNCTION` takes linear Rec.709 light and gives display values."""

    name: str
    text: str
    textures: tuple[ShaderTexture, ...]


class ViewTransforms:
    """The displays and views of one OpenColorIO configuration."""

    def __init__(self, source: str = "") -> None:
        """Raises `InputError` when the configuration cannot be used."""
        self.source = source or BUILT_IN
        try:
            config = ocio.Config.CreateFromFile(self.source)
            config.validate()
        except ocio.Exception as error:
            raise InputError(f"the OpenColorIO configuration {self.source} cannot be used: {_short(error)}") from error
        self._config = config
        self._linear = self._scene_linear()

    @cached_property
    def names(self) -> tuple[str, ...]:
        """All transforms as ``DISPLAY / VIEW``, in the configuration's order."""
        return tuple(
            f"{display}{SEPARATOR}{view}"
            for display in self._config.getDisplays()
            for view in self._config.getViews(display)
        )

    @property
    def default(self) -> str:
        """The configuration's own default; of the built-in one, its plain view without a tone curve."""
        return self._view_of(self._config.getDefaultDisplay(), plain=self.source == BUILT_IN)

    def meant(self, words: str) -> str:
        """The transform that is named in full, or the plain view of the one display that the words are part of, such as
        ``sRGB`` or ``rec.709``. Raises `InputError`.
        """
        if words in self.names:
            return words
        wanted = _letters(words)
        displays = [each for each in self._config.getDisplays() if wanted and wanted in _letters(each)]
        if len(displays) != 1:
            raise InputError(self.unknown(words))
        return self._view_of(displays[0], plain=True)

    def _view_of(self, display: str, *, plain: bool) -> str:
        """A display's plain view where it is wanted and there, else its own default."""
        without_curve = f"{display}{SEPARATOR}{PLAIN_VIEW}"
        if plain and without_curve in self.names:
            return without_curve
        return f"{display}{SEPARATOR}{self._config.getDefaultView(display)}"

    def unknown(self, name: str) -> str:
        """What to say of a name that is no transform's."""
        shown, more = self.names[:MOST_NAMED], len(self.names) - MOST_NAMED
        return f"there is no view transform {name!r}; there are {', '.join(shown)}" + (
            f" and {more} more" if more > 0 else ""
        )

    def apply(self, pixels: Floats, name: str, exposure: float = 0.0) -> Floats:
        """Display values of linear Rec.709 pixels (H, W, 3), after `exposure` stops; not clipped.

        Raises `InputError` when there is no such transform.
        """
        processor = self._processor(name)
        light = np.ascontiguousarray(pixels * np.float32(2.0**exposure), dtype=np.float32)
        shape = light.shape
        flat = light.reshape(-1, 3).copy()
        processor.applyRGB(flat)
        return flat.reshape(shape)

    def undo(self, values: Floats, name: str) -> Floats:
        """Linear Rec.709 light of display values, for a picture whose transform is stated. Raises `InputError`."""
        processor = self._processor(name, backwards=True)
        flat = np.ascontiguousarray(values, dtype=np.float32).reshape(-1, 3).copy()
        try:
            processor.applyRGB(flat)
        except ocio.Exception as error:
            raise InputError(f"the view transform {name!r} cannot be undone: {_short(error)}") from error
        return flat.reshape(values.shape)

    def shader(self, name: str) -> TransformShader:
        """The transform as the library writes it for a graphics processor. Raises `InputError`."""
        description = ocio.GpuShaderDesc.CreateShaderDesc(language=ocio.GPU_LANGUAGE_GLSL_ES_3_0)
        description.setFunctionName(SHADER_FUNCTION)
        description.setResourcePrefix("transform_")
        try:
            self._found(name).getDefaultGPUProcessor().extractGpuShaderInfo(description)
        except ocio.Exception as error:
            raise InputError(f"the view transform {name!r} cannot be used: {_short(error)}") from error
        flat = [
            ShaderTexture(
                each.samplerName, each.width, max(each.height, 1), 0,
                1 if each.channel == ocio.GpuShaderCreator.TEXTURE_RED_CHANNEL else 3,
                each.interpolation != ocio.INTERP_NEAREST, _halves(each.getValues()),
            )
            for each in description.getTextures()
        ]  # fmt: skip
        cubes = [
            ShaderTexture(
                each.samplerName, each.edgeLen, each.edgeLen, each.edgeLen, 3,
                each.interpolation != ocio.INTERP_NEAREST, _halves(each.getValues()),
            )
            for each in description.get3DTextures()
        ]  # fmt: skip
        return TransformShader(name, description.getShaderText(), (*flat, *cubes))

    def _processor(self, name: str, *, backwards: bool = False) -> ocio.CPUProcessor:
        return self._found(name, backwards=backwards).getDefaultCPUProcessor()

    def _found(self, name: str, *, backwards: bool = False) -> ocio.Processor:
        display, found, view = name.partition(SEPARATOR)
        if not found or name not in self.names:
            raise InputError(self.unknown(name))
        direction = ocio.TRANSFORM_DIR_INVERSE if backwards else ocio.TRANSFORM_DIR_FORWARD
        try:
            transform = ocio.DisplayViewTransform(src=self._linear, display=display, view=view)
            return self._config.getProcessor(transform, direction)
        except ocio.Exception as error:
            raise InputError(f"the view transform {name!r} cannot be used: {_short(error)}") from error

    def _scene_linear(self) -> str:
        for name in SCENE_LINEAR:
            space = self._config.getColorSpace(name)
            if space is not None:
                return str(space.getName())
        raise InputError(f"the OpenColorIO configuration {self.source} has no linear Rec.709 colour space")


@cache
def view_transforms() -> ViewTransforms:
    """The configuration that is in force. Raises `InputError` when it cannot be used."""
    return ViewTransforms(os.environ.get("MATCHEDPAIR_OCIO") or os.environ.get("OCIO") or "")


def _halves(values: NDArray[np.float32]) -> NDArray[np.float16]:
    return np.clip(values, -LARGEST_HALF, LARGEST_HALF).astype(np.float16).ravel()


def _short(error: Exception) -> str:
    return str(error).strip().splitlines()[0][:200]


def _letters(words: str) -> str:
    return "".join(each for each in words.lower() if each.isalnum())
