"""``matchedpair textures``: what each map of a folder or scene takes, and reduced copies of them."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from matchedpair.errors import InputError
from matchedpair.scenes import read_scene
from matchedpair.scenes.textures import maps_of
from matchedpair.textures import (
    ROLES,
    Copies,
    MapUse,
    Role,
    TexturePlan,
    Writing,
    delete_copies,
    find_maps,
    plan_maps,
    read_copies,
    read_maps,
    read_use,
    write_copies,
)


def add_textures(commands: Any, words: str) -> None:
    """Add the command, and what it does in words, to the parser's."""
    command = commands.add_parser("textures", help=words)
    command.add_argument("place", type=Path, metavar="FOLDER or SCENE.json")
    command.add_argument("--role", action="append", default=[], metavar="FILE=ROLE", help=" or ".join(ROLES))
    command.add_argument("--divide", action="append", default=[], metavar="FILE=N", help="1 leaves a map as it is")
    command.add_argument("--use", type=Path, metavar="FILE", help="what an engine wrote of the use on screen")
    command.add_argument("--write", action="store_true", help="write the reduced copies beside the originals")
    command.add_argument("--delete", metavar="NAME", help="delete a folder of reduced copies")
    command.add_argument("--json", action="store_true")
    command.set_defaults(run=_textures)


def _textures(parsed: argparse.Namespace) -> str:
    base, files, names = _place(parsed.place)
    if parsed.delete:
        delete_copies(base, parsed.delete)
    maps, problems = read_maps(base, files)
    if not maps:
        raise InputError(f"{parsed.place.name}: none of its maps can be read; {'; '.join(problems.values())}")
    plan = plan_maps(
        maps,
        roles={file: _role(role) for file, role in _stated(parsed.role).items()},
        divisors={file: _whole(number) for file, number in _stated(parsed.divide).items()},
        use=_use(parsed.use, names),
    )
    if parsed.write:
        write_copies(base, plan, _tell)
    copies, wrong = read_copies(base)
    report = _report(plan, problems | dict.fromkeys(wrong, "cannot be used"), copies)
    return json.dumps(report, indent=1) if parsed.json else _as_text(report)


def _tell(writing: Writing) -> None:
    if sys.stderr.isatty():
        print(f"written {writing.done} of {writing.of}", file=sys.stderr)


def _place(place: Path) -> tuple[Path, list[str], dict[str, str]]:
    """The folder, the maps in it by path, and which of them each name of a texture stands for."""
    if place.suffix != ".json":
        files = find_maps(place)
        return place, files, {Path(file).stem: file for file in files} | {file: file for file in files}
    scene = read_scene(place)
    if not scene.textures:
        raise InputError(f"{place.name}: the scene has no textures")
    base, names = maps_of(scene.textures, place.parent)
    return base, sorted(set(names.values())), names


def _stated(pairs: list[str]) -> dict[str, str]:
    stated = {}
    for text in pairs:
        file, equals, value = text.rpartition("=")
        if not equals or not file:
            raise InputError(f"expected FILE=VALUE, got {text!r}")
        stated[file] = value
    return stated


def _role(text: str) -> Role:
    for role in ROLES:
        if text == role:
            return role
    raise InputError(f"a role is {', '.join(ROLES)}, got {text!r}")


def _whole(text: str) -> int:
    if not text.isdigit():
        raise InputError(f"a size is divided by a whole number, got {text!r}")
    return int(text)


def _use(path: Path | None, names: dict[str, str]) -> dict[str, MapUse] | None:
    if path is None:
        return None
    return {names[name]: use for name, use in read_use(path).items() if name in names}


def _report(plan: TexturePlan, problems: dict[str, str], copies: list[Copies]) -> dict[str, Any]:
    return {
        "maps": [
            {
                "file": row.texture.file, "role": row.role, "role_reason": row.role_reason,
                "width": row.texture.width, "height": row.texture.height, "channels": row.texture.channels,
                "bits": row.texture.bits, "memory_bytes": row.texture.memory_bytes,
                "with_copies_bytes": row.texture.with_copies_bytes,
                "pixels_across": row.use.pixels_across if row.use else None,
                "shown_percent": row.use.shown_percent if row.use else None,
                "divide_by": row.divisor, "reason": row.reason, "to_width": row.size[0], "to_height": row.size[1],
                "to_channels": row.channels, "to_with_copies_bytes": row.with_copies_bytes,
            }
            for row in plan.maps
        ],
        "before_bytes": plan.before_bytes,
        "after_bytes": plan.after_bytes,
        "copies": [{"name": each.name, "maps": [row.file for row in each.maps]} for each in copies],
        "refused": [{"file": file, "reason": reason} for file, reason in problems.items()],
    }  # fmt: skip


def _as_text(report: dict[str, Any]) -> str:
    lines = [f"{'map':32} {'role':10} {'size':>12} {'MB':>7}  {'becomes':>12} {'MB':>7}  why"]
    for row in report["maps"]:
        size = f"{row['width']}×{row['height']}"
        small = f"{row['to_width']}×{row['to_height']}"
        lines.append(
            f"{row['file']:32} {row['role']:10} {size:>12} {row['with_copies_bytes'] / 1e6:7.2f}  {small:>12} "
            f"{row['to_with_copies_bytes'] / 1e6:7.2f}  {row['role_reason']}; {row['reason']}"
        )
    before, after = report["before_bytes"] / 1e6, report["after_bytes"] / 1e6
    lines.append(f"with smaller copies: {before:.3g} MB, reduced {after:.3g} MB")
    lines += [f"reduced copies: {each['name']}, {len(each['maps'])} maps" for each in report["copies"]]
    lines += [f"cannot be used: {each['file']}: {each['reason']}" for each in report["refused"]]
    return "\n".join(lines)
