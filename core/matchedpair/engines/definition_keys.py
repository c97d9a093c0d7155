"""What may stand in an engine definition: keys by table and format, placeholders, and what names look like."""

from __future__ import annotations

import re

FORMATS = (1, 2)
PLACEHOLDERS = (
    "scene", "view", "variant", "frame", "width", "height", "seed", "threads", "picture", "folder", "depth",
)  # fmt: skip
FURTHER = ("scene_folder", "settings_file", "build")  # of the second format
OF_SCENE = ("view.", "variant.")  # values that a scene's description hands over
NEEDED = ("scene", "seed", "picture")
CHANGES = {  # the placeholders that the arguments of each change must hold
    "crop": ("x", "y", "width", "height"), "quantity": ("name", "value"), "brightness": ("value",),
    "passes": ("passes",), "on_the_way": ("levels",),
    "texture_use": ("file",), "sequence": ("first", "last"),
}  # fmt: skip
OUTPUT_KEYS = {"picture", "ready", "progress", "structures", "reached", "frames", "on_the_way"}
COMMAND_KEYS = {"render", "version", "version_pattern", *CHANGES} - {"sequence"}
SETTING_KEYS = {
    "name", "title", "type", "minimum", "maximum", "choices", "default", "argument", "unit", "about", "too_low",
    "too_high", "affects", "quality_knob", "time_budget",
}  # fmt: skip
LATER = {  # keys of the second format, by table
    "": {"settings_file", "twins", "host", "gathers"},
    "output": {"percent", "success", "failure", "waiting", "waited", "layer", "frame_done"},
    "command": {"before", "works_in", "environment", "sequence"},
    "setting": {"off", "key", "needs", "needs_builds", "denoiser", "better"},
    "build": {"environment", "arguments"},
    "pass": {"layer"},
}
NAME = re.compile(r"[a-z][a-z0-9-]{0,39}")
BUILD_NAME = re.compile(r"[a-z0-9][a-z0-9.-]{0,39}")
VARIABLE = re.compile(r"[A-Za-z_][A-Za-z0-9_]{0,99}")
SETTING_NAME = re.compile(r"[a-z][a-z0-9_]{0,39}")
TOP_KEYS = {
    "format", "name", "title", "about", "command", "output", "setting", "licence", "cost", "limits", "runs_on",
    "device", "build", "preset", "effect", "quantity", "pass",
}  # fmt: skip
BETTER = ("higher", "lower")
RESERVED = ("engine", "version", "light", "quantities", "settings")  # what else a pair can have under test
