"""A first description for a folder with a scene in a format that only its engine understands."""

from __future__ import annotations

import json
import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from pathlib import Path, PurePosixPath

from matchedpair.scenes.scene import DESCRIBED, Scene

MOST_LISTED = 20_000
NUMBERED = re.compile(r"(.*?)(\d+)(\.[^.\d]+)$")
# what is found beside a scene and is not what an engine is given
PICTURES = (".exr", ".hdr", ".tif", ".tiff", ".png", ".jpg", ".jpeg", ".tx", ".tga", ".bmp", ".webp", ".psd")
BESIDE = (".md", ".txt", ".pdf", ".log", ".csv", ".json", ".toml", ".yaml", ".zip", ".bak", ".tmp", ".db", ".ini")


def folders_without(folder: Path, scenes: Iterable[Scene]) -> list[str]:
    """The folders directly in a scenes folder that hold files and that no scene there uses, by name."""
    used = {scene.root for scene in scenes if scene.root is not None}
    used |= {(folder / texture.file).parent for scene in scenes for texture in scene.textures}
    taken = {part for path in used for part in (path.absolute(), *path.absolute().parents)}
    return [
        place.name
        for place in sorted(folder.iterdir() if folder.is_dir() else ())
        if place.is_dir() and place.absolute() not in taken and not place.name.startswith(".") and main_files(place)
    ]


def main_files(folder: Path) -> list[str]:
    """The files that may be what an engine is given, the likeliest first: lying at the top, called as the folder is,
    and the only ones of their kind.
    """
    files = _files(folder)
    kinds = Counter(PurePosixPath(file).suffix.lower() for file in files)
    numbered = {name for names in _series(files).values() for _, name in names}
    likely = [
        file for file in files
        if (kind := PurePosixPath(file).suffix.lower()) and kind not in PICTURES and kind not in BESIDE
        and file not in numbered
    ]  # fmt: skip

    def rank(file: str) -> tuple[int, bool, int, str]:
        path = PurePosixPath(file)
        called = path.stem.lower() == folder.name.lower()
        return len(path.parts), not called, kinds[path.suffix.lower()], file

    return sorted(likely, key=rank)


def description_of(folder: Path) -> str:
    """A first description of a folder's scene, as TOML, to be read and corrected; empty where no file may be one.

    Files of the same kind at the same place whose name goes on from the main one's are variants; files that are
    numbered are frames; everything else belongs to it.
    """
    candidates = main_files(folder)
    if not candidates:
        return ""
    main = PurePosixPath(candidates[0])
    variants = [
        PurePosixPath(each)
        for each in candidates[1:]
        if PurePosixPath(each).parent == main.parent and PurePosixPath(each).suffix == main.suffix
        and re.match(rf"{re.escape(main.stem)}[_\-. ]", PurePosixPath(each).stem)
    ]  # fmt: skip
    files = _files(folder)
    series = _series(files)
    frames = _common_frames(list(series.values()))
    named = {str(main), *map(str, variants)}
    depends = _depends(files, named, series if frames else {})
    lines = [
        f"format = {DESCRIBED}",
        f"title = {json.dumps(_title(folder.name))}",
        f"root = {json.dumps(folder.name)}",
        f"file = {json.dumps(str(main))}  # what the engine is given as {{scene}}",
    ]
    if depends:
        lines.append(f"depends = {json.dumps(depends)}")
    if frames:
        lines.append(f"frames = [{frames[0]}, {frames[1]}]")
    lines += ["", "[views.main]", 'title = "Main"', '# camera = "its name in the file"']
    for each in variants:
        name = re.sub(r"[^A-Za-z0-9]+", "-", each.stem[len(main.stem) :]).strip("-").lower() or "other"
        lines += ["", f"[variants.{name}]", f"title = {json.dumps(_title(name))}", f"file = {json.dumps(str(each))}"]
    return "\n".join(lines) + "\n"


def _files(folder: Path) -> list[str]:
    found: list[str] = []
    for path in folder.rglob("*"):
        if path.is_file() and not any(part.startswith(".") for part in path.relative_to(folder).parts):
            found.append(path.relative_to(folder).as_posix())
            if len(found) >= MOST_LISTED:
                break
    return sorted(found)


def _series(files: Sequence[str]) -> dict[str, list[tuple[int, str]]]:
    """By pattern with ``####`` the numbers and names of files that differ in their last number alone."""
    found: dict[str, list[tuple[int, str]]] = defaultdict(list)
    for file in files:
        fits = NUMBERED.fullmatch(file)
        if fits:
            found[f"{fits[1]}{'#' * len(fits[2])}{fits[3]}"].append((int(fits[2]), file))
    return {pattern: rows for pattern, rows in found.items() if len(rows) > 1}


def _common_frames(series: Sequence[Sequence[tuple[int, str]]]) -> tuple[int, int] | None:
    """The first and last number that every series has, with none between them missing."""
    if not series:
        return None
    common = set.intersection(*({number for number, _ in rows} for rows in series))
    first = min(common, default=0)
    last = first
    while last + 1 in common:
        last += 1
    return (first, last) if last > first else None


def _depends(files: Sequence[str], named: set[str], series: dict[str, list[tuple[int, str]]]) -> list[str]:
    """Patterns for what is numbered, folders for what lies in them, and single files at the top."""
    numbered = {name for rows in series.values() for _, name in rows}
    rest = [file for file in files if file not in named and file not in numbered]
    places = dict.fromkeys(PurePosixPath(file).parts[0] if "/" in file else file for file in rest)
    return [*series, *places]


def _title(name: str) -> str:
    words = re.sub(r"[_\-]+", " ", name).strip()
    return words[:1].upper() + words[1:]
