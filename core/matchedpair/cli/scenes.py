"""``matchedpair scene``: what a scene's description covers, or a first one for a folder or file that has none."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from matchedpair.errors import InputError
from matchedpair.scenes import Scene, read_scene
from matchedpair.scenes.proposed import description_of

DESCRIPTIONS = (".json", ".toml")


def add_scene(commands: Any, words: str) -> None:
    """Add the command, and what it does in words, to the parser's."""
    command = commands.add_parser("scene", help=words)
    command.add_argument("scene", type=Path, metavar="FILE_OR_FOLDER")
    command.add_argument("--json", action="store_true")
    command.set_defaults(run=_scene)


def _scene(parsed: argparse.Namespace) -> str:
    if parsed.scene.is_dir() or (parsed.scene.is_file() and parsed.scene.suffix.lower() not in DESCRIPTIONS):
        text = description_of(parsed.scene)
        if not text:
            raise InputError(f"{parsed.scene.name}: holds no file that an engine may be given")
        return json.dumps({"description": text}, indent=1) if parsed.json else text.rstrip()
    scene = read_scene(parsed.scene)
    if scene.files is not None and scene.files.missing:
        raise InputError(f"{parsed.scene.name}: {scene.files.problem()}")
    return json.dumps(_row(scene), indent=1) if parsed.json else _words(scene)


def _row(scene: Scene) -> dict[str, Any]:
    return {
        "name": scene.name, "title": scene.title, "revision": scene.revision,
        "views": [view.name for view in scene.views], "variants": [variant.name for variant in scene.variants],
        "frames": [scene.first_frame, scene.last_frame],
        "files": dict(scene.files.digests) if scene.files else {},
    }  # fmt: skip


def _words(scene: Scene) -> str:
    lines = [
        f"{scene.title} ({scene.name}), revision {scene.revision[:8]}",
        f"  views: {', '.join(view.name for view in scene.views)}",
        f"  variants: {', '.join(variant.name for variant in scene.variants)}",
        f"  frames: {scene.first_frame} to {scene.last_frame}",
    ]
    if scene.files is not None:
        lines += [f"  {len(scene.files.digests)} files belong to it:", *(f"    {name}" for name in scene.files.digests)]
    return "\n".join(lines)
