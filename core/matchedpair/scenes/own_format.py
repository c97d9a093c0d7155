"""Scenes in a format that only their engines understand: which files belong to one, and whether all are there.

A description beside them, or pointing at them, says what a study needs to know; its keys are in docs/scenes.md.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from matchedpair.errors import InputError
from matchedpair.scenes.digests import BeingReadError, digests_of

ANY = ""  # the file for engines that none is named for
FRAMES = re.compile(r"#+")
WILD = re.compile(r"[*?\[]")
MOST_FILES = 20_000
MOST_NAMED = 5


@dataclass(frozen=True)
class SceneFiles:
    """The files of a scene in its engines' own formats.

    Parameters
    ----------
    root : str
        The folder that all paths are below, from the description's own folder, or in full.
    by_engine : mapping
        The file that an engine is given, by its name; `ANY` for all others.
    by_variant : mapping
        The same by variant, where a variant is another file.
    digests : mapping
        SHA-256 by path, of all files that belong to it.
    values : mapping
        What the description hands over by placeholder, by ``view NAME`` and ``variant NAME``.
    missing : tuple of str
        What belongs to it and is not there.
    """

    root: str
    by_engine: Mapping[str, str]
    by_variant: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    digests: Mapping[str, str] = field(default_factory=dict)
    values: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    missing: tuple[str, ...] = ()

    def file_for(self, engine: str, variant: str) -> str:
        """The file that an engine renders; empty where there is none for it."""
        for table in (self.by_variant.get(variant, {}), self.by_engine):
            found = table.get(engine) or table.get(ANY)
            if found:
                return found
        return ""

    def handed_over(self, view: str, variant: str) -> dict[str, str]:
        """Values by placeholder for a view and a variant."""
        return {
            **{f"view.{name}": value for name, value in self.values.get(f"view {view}", {}).items()},
            **{f"variant.{name}": value for name, value in self.values.get(f"variant {variant}", {}).items()},
        }

    def problem(self) -> str:
        """What is missing, in words; empty when all is there."""
        if not self.missing:
            return ""
        more = len(self.missing) - MOST_NAMED
        named = ", ".join(self.missing[:MOST_NAMED]) + (f" and {more} more" if more > 0 else "")
        return f"{len(self.missing)} of its files are not there: {named}"


def files_of(raw: Mapping[str, Any], folder: Path | None, file: str) -> SceneFiles:
    """The files of a described scene.

    Parameters
    ----------
    folder : Path or None
        Where the description lies; None for a kept one, whose digests stand in it.

    Raises
    ------
    InputError
        When the description is wrong. What is missing on the disk is no error; it is told.
    """
    by_engine = _per_engine(raw, "file", "files", file)
    if not by_engine:
        raise InputError(f'{file}: expected "file", the file that an engine renders, or "files" by engine')
    variants = _tables(raw, "variants", file)
    by_variant = {name: _per_engine(row, "file", "files", f"{file}: variants.{name}") for name, row in variants.items()}
    values = {
        **{f"view {name}": _values(row, f"{file}: views.{name}") for name, row in _tables(raw, "views", file).items()},
        **{f"variant {name}": _values(row, f"{file}: variants.{name}") for name, row in variants.items()},
    }
    root = raw.get("root", ".")
    if not isinstance(root, str):
        raise InputError(f'{file}: "root" must be a folder, got {root!r}')
    made = SceneFiles(root, by_engine, {name: row for name, row in by_variant.items() if row}, {}, values)
    if folder is None:
        return _kept(made, raw, file)
    depends = raw.get("depends", [])
    if not isinstance(depends, list) or not all(isinstance(each, str) and each for each in depends):
        raise InputError(f'{file}: expected "depends" to be a list of paths and patterns')
    frames = _frames(raw)
    named = [name for table in (by_engine, *by_variant.values()) for name in table.values()]
    return _found(made, folder / root, [*named, *depends], frames, file)


def _found(made: SceneFiles, root: Path, patterns: list[str], frames: range, file: str) -> SceneFiles:
    paths: dict[str, Path] = {}
    missing: list[str] = []
    for pattern in patterns:
        if Path(pattern).is_absolute() or ".." in Path(pattern).parts:
            raise InputError(f'{file}: {pattern!r} must lie below "root"; let root name a folder further up')
        for name, path in _matching(root, pattern, frames):
            if path is None:
                missing.append(name)
                continue
            paths[name] = path
            if len(paths) > MOST_FILES:
                raise InputError(f"{file}: more than {MOST_FILES} files belong to it; name fewer in depends")
    try:
        digests = digests_of(paths)
    except BeingReadError as error:
        raise BeingReadError(f"{file}: {error}") from error
    missing += [name for name in paths if name not in digests]
    return SceneFiles(
        made.root, made.by_engine, made.by_variant, dict(sorted(digests.items())), made.values,
        tuple(dict.fromkeys(missing)),
    )  # fmt: skip


def _matching(root: Path, pattern: str, frames: range) -> Iterator[tuple[str, Path | None]]:
    """The files that fit, by their path below the root; with None what must be there and is not."""
    marks = FRAMES.search(pattern)
    if marks is not None:
        for frame in frames:
            name = pattern[: marks.start()] + str(frame).zfill(len(marks[0])) + pattern[marks.end() :]
            yield from _matching(root, name, frames)
        return
    if not WILD.search(pattern):
        place = root / pattern
        if place.is_dir():
            yield from (
                (path.relative_to(root).as_posix(), path) for path in sorted(place.rglob("*")) if path.is_file()
            )
        else:
            yield pattern, place if place.is_file() else None
        return
    there = [path for path in sorted(root.glob(pattern)) if path.is_file()]
    yield from ((path.relative_to(root).as_posix(), path) for path in there) if there else [(pattern, None)]


def _kept(made: SceneFiles, raw: Mapping[str, Any], file: str) -> SceneFiles:
    digests = raw.get("sha256", {})
    if not isinstance(digests, dict) or not all(isinstance(each, str) for each in digests.values()):
        raise InputError(f'{file}: expected "sha256", an object of files and hashes')
    missing = raw.get("missing", [])
    return SceneFiles(
        made.root, made.by_engine, made.by_variant, digests, made.values,
        tuple(str(each) for each in missing) if isinstance(missing, list) else (),
    )  # fmt: skip


def with_hashes(raw: Mapping[str, Any], files: SceneFiles) -> dict[str, Any]:
    """The description with the hash of each of its files in it, so that a revision covers them too."""
    more = {"missing": list(files.missing)} if files.missing else {}
    return {**raw, "sha256": dict(files.digests), **more}


def _per_engine(raw: Mapping[str, Any], one: str, several: str, where: str) -> dict[str, str]:
    table = raw.get(several, {})
    if not isinstance(table, dict) or not all(isinstance(each, str) and each for each in table.values()):
        raise InputError(f'{where}: expected "{several}", a table of engines and files')
    single = raw.get(one)
    if single is not None and (not isinstance(single, str) or not single):
        raise InputError(f'{where}: "{one}" must be a path, got {single!r}')
    return {**({ANY: single} if single else {}), **table}


def _values(row: Mapping[str, Any], where: str) -> dict[str, str]:
    """What is handed over: the values, and a camera as the value ``camera``."""
    values = row.get("values", {})
    plain = isinstance(values, dict) and all(isinstance(each, int | float | str) for each in values.values())
    if not plain:
        raise InputError(f'{where}: expected "values", a table of names and numbers or texts')
    camera = {"camera": row["camera"]} if "camera" in row else {}
    return {name: str(value) for name, value in {**camera, **values}.items()}


def _tables(raw: Mapping[str, Any], key: str, file: str) -> dict[str, dict[str, Any]]:
    table = raw.get(key, {})
    if not isinstance(table, dict) or not all(isinstance(row, dict) for row in table.values()):
        raise InputError(f'{file}: expected "{key}", a table of tables')
    return table


def _frames(raw: Mapping[str, Any]) -> range:
    frames = raw.get("frames", [1, 1])
    whole = isinstance(frames, list) and len(frames) == 2 and all(type(frame) is int for frame in frames)
    return range(frames[0], frames[1] + 1) if whole else range(1, 2)  # whether they fit is told elsewhere
