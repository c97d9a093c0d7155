"""A first description for a scene in a format that only its engine understands: a folder, or a file on its own."""

from __future__ import annotations

import json
import re
from collections import Counter, defaultdict
from collections.abc import Sequence
from pathlib import Path, PurePosixPath

from matchedpair.scenes.scene import DESCRIBED, Scene

MOST_LISTED = 20_000
MOST_READ, MOST_CAMERAS = 5_000_000, 12
CAMERA = re.compile(r"""\bcamera\b["']?[\s:=]+["']?([A-Za-z_][\w-]*)""", re.IGNORECASE)
# what may follow the word camera and is no camera's name
NO_NAME = (
    "position", "pos", "origin", "target", "look", "lookat", "look_at", "up", "from", "to", "type", "name", "fov",
    "lens", "transform", "perspective", "true", "false", "null", "none", "and", "is", "of",
)  # fmt: skip
NUMBERED = re.compile(r"(.*?)(\d+)(\.[^.\d]+)$")
# what is found beside a scene and is not what an engine is given
PICTURES = (".exr", ".hdr", ".tif", ".tiff", ".png", ".jpg", ".jpeg", ".tx", ".tga", ".bmp", ".webp", ".psd")
DESCRIPTION = ".scene.toml"
BESIDE = (".md", ".txt", ".pdf", ".log", ".csv", ".json", ".toml", ".yaml", ".zip", ".bak", ".tmp", ".db", ".ini")


def places_without(folder: Path, scenes: Sequence[Scene]) -> list[str]:
    """The folders that hold files, and the files, directly in a scenes folder that no scene there uses, by name."""
    used = {scene.root for scene in scenes if scene.root is not None}
    used |= {scene.root / file for scene in scenes if scene.files and scene.root for file in scene.files.digests}
    used |= {(folder / texture.file).parent for scene in scenes for texture in scene.textures}
    taken = {part for path in used for part in (path.absolute(), *path.absolute().parents)}
    inside = sorted(folder.iterdir() if folder.is_dir() else ())
    alone = set(_likely([each.name for each in inside if each.is_file()]))
    return [
        place.name
        for place in inside
        if place.absolute() not in taken and not place.name.startswith(".")
        and (place.name in alone if place.is_file() else main_files(place))
    ]  # fmt: skip


def main_files(folder: Path) -> list[str]:
    """The files that may be what an engine is given, the likeliest first: lying at the top, called as the folder is,
    and the only ones of their kind.
    """
    return _main_first(_files(folder), folder.name)


def _main_first(files: Sequence[str], name: str) -> list[str]:
    kinds = Counter(PurePosixPath(file).suffix.lower() for file in files)

    def rank(file: str) -> tuple[int, bool, int, str]:
        path = PurePosixPath(file)
        called = path.stem.lower() == name.lower()
        return len(path.parts), not called, kinds[path.suffix.lower()], file

    return sorted(_likely(files), key=rank)


def description_of(place: Path) -> str:
    """A first description of a folder's scene, or of a file, as TOML, to be read and corrected; empty where no file
    may be one.

    Files of the same kind at the same place whose name goes on from the main one's are variants; files that are
    numbered are frames; everything else belongs to it. Views are the cameras that the file names, where it is text.
    """
    if place.is_file():
        return _described(place.stem, [_file_line(place.name)], place, [])
    files = _files(place)
    candidates = _main_first(files, place.name)
    if not candidates:
        return ""
    main = PurePosixPath(candidates[0])
    variants = [
        PurePosixPath(each)
        for each in candidates[1:]
        if PurePosixPath(each).parent == main.parent and PurePosixPath(each).suffix == main.suffix
        and re.match(rf"{re.escape(main.stem)}[_\-. ]", PurePosixPath(each).stem)
    ]  # fmt: skip
    series = _series(files)
    frames = _common_frames(list(series.values()))
    named = {str(main), *map(str, variants)}
    depends = _depends(files, named, series if frames else {})
    lines = [f"root = {json.dumps(place.name)}", _file_line(str(main))]
    if depends:
        lines.append(f"depends = {json.dumps(depends)}")
    if frames:
        lines.append(f"frames = [{frames[0]}, {frames[1]}]")
    of_variants: list[str] = []
    for each in variants:
        name = _key(each.stem[len(main.stem) :]) or "other"
        of_variants += [
            "",
            f"[variants.{name}]",
            f"title = {json.dumps(_title(name))}",
            f"file = {json.dumps(str(each))}",
        ]
    return _described(place.name, lines, place / main, of_variants)


def description_name(place: Path) -> str:
    """What the file with the description of a folder or file is called; it lies beside it."""
    return f"{place.stem if place.is_file() else place.name}{DESCRIPTION}"


def _described(name: str, files: Sequence[str], main: Path, variants: Sequence[str]) -> str:
    lines = [f"format = {DESCRIBED}", f"title = {json.dumps(_title(name))}", *files]
    cameras = {_key(camera) or "main": camera for camera in _cameras(main)}
    for view, camera in cameras.items():
        lines += ["", f"[views.{view}]", f"title = {json.dumps(_title(view))}", f"camera = {json.dumps(camera)}"]
    if not cameras:
        lines += ["", "[views.main]", 'title = "Main"', '# camera = "its name in the file"']
    return "\n".join([*lines, *variants]) + "\n"


def _file_line(name: str) -> str:
    return f"file = {json.dumps(name)}  # what the engine is given as {{scene}}"


def _cameras(file: Path) -> list[str]:
    """The names after the word camera in a file of text, each once; none where it is not text or very large."""
    try:
        text = file.read_text(encoding="utf-8") if file.stat().st_size < MOST_READ else ""
    except (OSError, UnicodeDecodeError):
        return []
    found = dict.fromkeys(each for each in CAMERA.findall(text) if each.lower() not in NO_NAME)
    return list(found)[:MOST_CAMERAS]


def _likely(files: Sequence[str]) -> list[str]:
    """Those that an engine may be given: of no kind that is found beside scenes, and not numbered."""
    numbered = {name for names in _series(files).values() for _, name in names}
    return [
        file for file in files
        if (kind := PurePosixPath(file).suffix.lower()) and kind not in PICTURES and kind not in BESIDE
        and file not in numbered
    ]  # fmt: skip


def _files(folder: Path) -> list[str]:
    found: list[str] = []
    for path in folder.rglob("*"):
        if path.name.endswith(DESCRIPTION) or any(part.startswith(".") for part in path.relative_to(folder).parts):
            continue
        if path.is_file():
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


def _key(text: str) -> str:
    return re.sub(r"[^A-Za-z0-9]+", "-", text).strip("-").lower()


def _title(name: str) -> str:
    words = re.sub(r"[_\-]+", " ", name).strip()
    return words[:1].upper() + words[1:]
