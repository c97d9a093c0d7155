"""Asks an engine how large a view shows each of a scene's textures."""

from __future__ import annotations

import subprocess
from dataclasses import replace
from pathlib import Path

from matchedpair.engines.definition import EngineDefinition
from matchedpair.engines.job import TEXTURE_USE_FILE, RenderJob, command_for
from matchedpair.errors import InputError
from matchedpair.textures import MapUse, read_use

LIMIT_SECONDS = 300


def ask_texture_use(definition: EngineDefinition, job: RenderJob, folder: Path) -> dict[str, MapUse]:
    """By the scene's own name of a texture, how the job's view shows it.

    Parameters
    ----------
    folder : Path
        An empty folder for this call alone.

    Raises
    ------
    SettingsError
        When the engine's definition gives no way to ask.
    EngineMissingError
        When its program is not found.
    InputError
        When it fails, takes longer than five minutes, or writes something else.
    """
    command = command_for(definition, replace(job, texture_use=True), folder)
    try:
        called = subprocess.run(
            command, capture_output=True, text=True, errors="replace", timeout=LIMIT_SECONDS, check=False,
            stdin=subprocess.DEVNULL, cwd=folder,
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired) as error:
        raise InputError(f"{definition.title}: asked for the use of textures, it did not answer ({error})") from error
    if called.returncode != 0 or not (folder / TEXTURE_USE_FILE).is_file():
        said = (called.stderr or called.stdout).strip().splitlines()
        raise InputError(f"{definition.title} does not tell the use of textures: {said[-1] if said else 'no reason'}")
    return read_use(folder / TEXTURE_USE_FILE)
