"""The recipe: the settings chosen for each use, with limits, evidence and forecast, as TOML and JSON that run again.

`settings` are by the names of the engine's definition, so that the definition itself checks them and turns them into
its command.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

import tomli_w

from matchedpair.engines import EngineDefinition
from matchedpair.engines.setting import Value
from matchedpair.errors import InputError
from matchedpair.plain_files import as_text, parsed_json, parsed_toml

FORMAT = 1
KIND = "recipe"
MOST_BYTES = 1_000_000
OUTPUT = ("width", "height", "format", "view_transform", "passes")


@dataclass(frozen=True)
class RecipeUse:
    """What one use is rendered with.

    Parameters
    ----------
    settings : mapping
        All settings of the engine by name.
    output : mapping
        width, height, format, view_transform, passes.
    limits : mapping
        That the choice keeps, by the names of `uses.LIMITS`.
    evidence : list of mapping
        Each with ``what``, and where it is from: ``pair``, ``study`` (numbers of the installation), ``pictures``.
    forecast : mapping
        The assumptions and what they come to; empty when none was made.
    frames : list of mapping
        Ranges of frames with settings of their own: ``first``, ``last`` (included) and ``settings``, which take the
        place of the use's own; empty when the use's hold for all frames.
    """

    title: str
    engine: str
    build: str
    engine_version: str
    settings: Mapping[str, Value]
    output: Mapping[str, Any]
    limits: Mapping[str, float] = field(default_factory=dict)
    evidence: tuple[Mapping[str, Any], ...] = ()
    forecast: Mapping[str, Any] = field(default_factory=dict)
    frames: tuple[Mapping[str, Any], ...] = ()

    def at_frame(self, frame: int) -> dict[str, Value]:
        """The settings that hold at a frame."""
        more: Mapping[str, Value] = next(
            (row["settings"] for row in self.frames if row["first"] <= frame <= row["last"]), {}
        )
        return {**self.settings, **more}


@dataclass(frozen=True)
class Recipe:
    """A saved version of a recipe; `scene` is what it was found on."""

    name: str
    version: int
    author: str
    made_at: str
    scene: str
    note: str
    uses: Mapping[str, RecipeUse]

    def use(self, name: str) -> RecipeUse:
        """The named use. Raises `InputError`."""
        if name not in self.uses:
            raise InputError(f"the recipe has no use {name!r}; it has {', '.join(self.uses)}")
        return self.uses[name]


@dataclass(frozen=True)
class Difference:
    """One thing in which two recipes differ; empty where one has nothing."""

    use: str
    what: str
    first: str
    second: str


def document(recipe: Recipe) -> dict[str, Any]:
    """The recipe as plain values, the same for TOML and JSON; what is None is left out, as TOML has no such thing."""
    values: dict[str, Any] = _without_none({"format": FORMAT, "kind": KIND, **asdict(recipe)})
    for use in values["uses"].values():
        if not use["frames"]:
            del use["frames"]
    return values


def recipe_toml(recipe: Recipe) -> bytes:
    """As TOML in UTF-8."""
    return tomli_w.dumps(document(recipe)).encode()


def recipe_json(recipe: Recipe) -> bytes:
    """As JSON in UTF-8."""
    return json.dumps(document(recipe), indent=1, ensure_ascii=False).encode()


def read_recipe(content: bytes) -> Recipe:
    """A recipe from TOML or JSON, whichever it is.

    Raises
    ------
    InputError
        When it is neither, of another format, or something is missing or of the wrong type.
    """
    if len(content) > MOST_BYTES:
        raise InputError(f"a recipe of {len(content)} bytes is too large; the most is {MOST_BYTES}")
    text = as_text(content, "this is no recipe")
    parsed = parsed_json if text.lstrip().startswith("{") else parsed_toml
    data = parsed(text, "this is no recipe")
    return recipe_of(data)


def recipe_of(data: Any) -> Recipe:
    """A recipe from plain values. Raises `InputError`."""
    if not isinstance(data, dict) or data.get("kind") != KIND:
        raise InputError("this is no recipe: its kind is missing")
    if data.get("format") != FORMAT:
        raise InputError(f"recipe format {data.get('format')!r} is not known; expected {FORMAT}")
    uses = _part(data, "uses", dict)
    if not uses:
        raise InputError("the recipe has no use")
    return Recipe(
        _part(data, "name", str), _part(data, "version", int), _part(data, "author", str), _part(data, "made_at", str),
        _part(data, "scene", str), _part(data, "note", str), {str(name): _use(name, row) for name, row in uses.items()},
    )  # fmt: skip


def settings_for(use: RecipeUse, definition: EngineDefinition, frame: int | None = None) -> dict[str, Value]:
    """The use's settings, at a frame where one is given, as this engine definition takes them, complete.

    Raises
    ------
    InputError
        When the recipe is for another engine.
    SettingsError
        When a setting is not known to the definition or does not fit.
    """
    if use.engine != definition.name:
        raise InputError(f"the recipe is for the engine {use.engine!r}, not for {definition.name!r}")
    return definition.complete(use.settings if frame is None else use.at_frame(frame))


def differences(first: Recipe, second: Recipe) -> list[Difference]:
    """In which uses, engines, settings, output and limits two recipes differ."""
    rows = []
    for name in dict.fromkeys([*first.uses, *second.uses]):
        sides = [_flat(recipe.uses[name]) if name in recipe.uses else {} for recipe in (first, second)]
        if not all(sides):
            rows.append(Difference(name, "use", *("there" if side else "" for side in sides)))
            continue
        for what in dict.fromkeys([*sides[0], *sides[1]]):
            left, right = (side.get(what, "") for side in sides)
            if left != right:
                rows.append(Difference(name, what, left, right))
    return rows


def as_table(recipe: Recipe) -> str:
    """Uses across, settings down, by tabs: to paste into a sheet or a message."""
    names = list(recipe.uses)
    flat = [_flat(recipe.uses[name]) for name in names]
    rows = [["", *(recipe.uses[name].title for name in names)]]
    rows += [[what, *(row.get(what, "") for row in flat)] for what in dict.fromkeys(key for row in flat for key in row)]
    return "\n".join("\t".join(cell.replace("\t", " ").replace("\n", " ") for cell in row) for row in rows) + "\n"


def _flat(use: RecipeUse) -> dict[str, str]:
    """In a fixed order what tells two uses apart, in words."""
    start = {"engine": use.engine, "build": use.build, "engine version": use.engine_version}
    settings = {name.replace("_", " "): _shown(value) for name, value in use.settings.items()}
    output = {name.replace("_", " "): _shown(value) for name, value in use.output.items()}
    frames = {
        f"frames {row['first']} to {row['last']}": ", ".join(
            f"{name.replace('_', ' ')} {_shown(value)}" for name, value in row["settings"].items()
        )
        for row in use.frames
    }
    limits = {f"limit: {name.replace('_', ' ')}": _shown(value) for name, value in use.limits.items()}
    return start | settings | frames | output | limits


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, list | tuple):
        return ", ".join(map(str, value)) or "none"
    return f"{value:g}" if isinstance(value, float) else str(value)


def _use(name: Any, row: Any) -> RecipeUse:
    if not isinstance(row, dict):
        raise InputError(f"the recipe's use {name!r} holds nothing")
    texts = {key: _part(row, key, str, f"use {name}") for key in ("title", "engine", "build", "engine_version")}
    maps = {key: _part(row, key, dict, f"use {name}") for key in ("settings", "output", "limits", "forecast")}
    for key, value in maps["settings"].items():
        if not isinstance(value, bool | int | float | str):
            raise InputError(f"the recipe's use {name!r}: the setting {key!r} is no plain value")
    for key, value in maps["limits"].items():
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise InputError(f"the recipe's use {name!r}: the limit {key!r} is no number")
    evidence = _part(row, "evidence", list, f"use {name}")
    return RecipeUse(
        **texts, **maps, evidence=tuple(each for each in evidence if isinstance(each, dict)), frames=_frames(name, row)
    )


def _frames(name: Any, row: dict[str, Any]) -> tuple[dict[str, Any], ...]:
    """Ranges in their order, none within another."""
    where = f"the recipe's use {name!r}: frames"
    rows = row.get("frames", [])
    if not isinstance(rows, list | tuple):
        raise InputError(f"{where} must be a list of ranges")
    last = None
    for each in rows:
        if not isinstance(each, dict) or any(type(each.get(key)) is not int for key in ("first", "last")):
            raise InputError(f'{where}: each needs "first" and "last", whole numbers, and "settings"')
        settings = each.get("settings")
        if not isinstance(settings, dict) or not all(
            isinstance(v, bool | int | float | str) for v in settings.values()
        ):
            raise InputError(f"{where} {each['first']} to {each['last']}: settings are missing or no plain values")
        if each["last"] < each["first"] or (last is not None and each["first"] <= last):
            raise InputError(f"{where} {each['first']} to {each['last']}: ranges must rise and not overlap")
        last = each["last"]
    return tuple({key: each[key] for key in ("first", "last", "settings")} for each in rows)


def _part(data: dict[str, Any], key: str, kind: type, where: str = "") -> Any:
    value = data.get(key)
    if isinstance(value, bool) or not isinstance(value, kind):
        raise InputError(f"the recipe's {where + ': ' if where else ''}{key} is missing or of the wrong type")
    return value


def _without_none(value: Any) -> Any:
    if isinstance(value, Mapping):
        return {str(key): _without_none(each) for key, each in value.items() if each is not None}
    if isinstance(value, list | tuple):
        return [_without_none(each) for each in value if each is not None]
    return value
