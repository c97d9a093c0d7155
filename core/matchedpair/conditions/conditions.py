"""The conditions of a match sheet in their fixed order: what a difference spoils, what remains, what would mend it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

Group = Literal["picture", "engine", "machine", "settings", "repeats"]
OWN = "each side's own figures"
AS_WHOLES = "what each takes and how clean it is, as wholes"


@dataclass(frozen=True)
class ConditionKind:
    """A condition that a comparison holds or varies.

    Parameters
    ----------
    spoils : mapping
        What of ``time``, ``noise`` and ``look`` does not compare when it differs unasked, and why in words.
    remains : str
        What still compares then.
    remedy : str
        What would make it held, as a button says it; empty where no render would.
    """

    key: str
    title: str
    group: Group
    spoils: Mapping[str, str]
    remains: str
    remedy: str = ""


def _spoils(time: str = "", noise: str = "", look: str = "") -> Mapping[str, str]:
    return {name: words for name, words in (("time", time), ("noise", noise), ("look", look)) if words}


OTHER_WORK, OTHER_NOISE = "other work was done", "another picture has other noise"

CONDITIONS: tuple[ConditionKind, ...] = (
    ConditionKind("scene", "Scene", "picture", _spoils(
        OTHER_WORK, OTHER_NOISE, "the pictures show different things"), OWN),
    ConditionKind("view", "View", "picture", _spoils(
        OTHER_WORK, OTHER_NOISE, "the pictures show different things"), OWN,
        "Render the control from the trial's view"),
    ConditionKind("frame", "Frame", "picture", _spoils(
        OTHER_WORK, OTHER_NOISE, "the pictures show different moments"), OWN,
        "Render the control at the trial's frame"),
    ConditionKind("size", "Size", "picture", _spoils(
        "time grows with the pixels", "noise per pixel is not the noise seen", "detail differs with the pixels"),
        "time per pixel, and the look from a distance", "Render the control at the trial's size"),
    ConditionKind("crop", "Part", "picture", _spoils(
        "other work was done", "another part has other noise", "the pictures show different parts"),
        OWN, "Render the part that the trial shows of the control"),
    ConditionKind("light", "Variant", "picture", _spoils(
        "paths differ", "noise follows the light", "brightness and colour differ by the variant, not the setting"),
        OWN, "Render the control in the trial's variant"),
    ConditionKind("quantities", "Scene quantities", "picture", _spoils(
        OTHER_WORK, "another scene has other noise", "the pictures show different things"),
        OWN, "Render the control with the trial's quantities"),
    ConditionKind("exposure", "Exposure", "picture", _spoils(
        "", "", "brightness differs by the exposure, not the setting"),
        "time, and noise, which is relative to brightness"),
    ConditionKind("view_transform", "View transform", "picture", _spoils(
        "", "", "each was meant to be seen through another; here both are seen through the control's"),
        "time, noise and error, which are got in linear light"),
    ConditionKind("format", "File format", "picture", _spoils(
        "", "coarser values hide or add noise", "coarser values shift dark places"),
        "time", "Render the control in the trial's format"),
    ConditionKind("brightness", "Brightness factor", "picture", _spoils(
        "", "noise is compared at different brightness", "brightness differs by the engines' units, not by the trial"),
        "time"),
    ConditionKind("engine", "Engine", "engine", _spoils(
        "the engines differ, not only a setting", "pixel filters differ", "the engines differ, not only a setting"),
        AS_WHOLES),
    ConditionKind("version", "Version", "engine", _spoils(
        "another version may be faster by itself", "another version may sample otherwise",
        "another version may look different by itself"),
        AS_WHOLES, "Render the control with the trial's version"),
    ConditionKind("device", "Device", "engine", _spoils("times of different devices do not compare"),
        "noise and look"),
    ConditionKind("machine", "Machine", "machine", _spoils("times of different machines do not compare"),
        "noise and look", "Render both again on one machine"),
    ConditionKind("threads", "Threads", "machine", _spoils("wall time follows the threads"),
        "CPU seconds, noise and look"),
    ConditionKind("load", "Load", "machine", _spoils("the machine was busy, so CPU seconds are compared instead"),
        "CPU seconds, noise and look", "Render both again, now that it may be quiet"),
    ConditionKind("settings", "Settings", "settings", _spoils(
        "more than one setting differs", "more than one setting differs", "more than one setting differs"),
        AS_WHOLES, "Render the control with the trial's other settings"),
    ConditionKind("pixel_settings", "Settings in pixels", "settings", _spoils(
        "", "the same pixels cover another part of the picture", "the same pixels cover another part of the picture"),
        "time"),
    ConditionKind("denoiser", "Denoiser", "settings", _spoils(
        "", "noise of a denoised picture is what the filter left", "a denoiser takes detail with the noise"),
        "time without the denoiser's own", "Render the control denoised like the trial"),
    ConditionKind("quality", "Samples", "settings", _spoils(
        "a side was given more work", "a side was given more work"),
        "look, but for its noise", "Render the control with as much"),
    ConditionKind("seeds", "Seeds", "repeats", _spoils(
        "", "a side without two different seeds has no noise figure"),
        "time and look", "Render the seeds that are missing"),
    ConditionKind("warm_up", "Warm-up", "repeats", _spoils("a first render includes compiling and loading"),
        "noise and look", "Render both again after a warm-up"),
)  # fmt: skip

KIND_OF = {kind.key: kind for kind in CONDITIONS}

# may be under test besides a setting
WHOLE_CONDITIONS = ("scene", "view", "frame", "size", "light", "quantities", "engine", "version", "settings")
