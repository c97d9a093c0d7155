"""The public face of the core, for scripts and pipelines: ``import matchedpair``. Names here stay.

Everything takes paths and plain values, and gives the values that the command line prints with ``--json``, whose keys
docs/measures.md explains. What is wrong with a file or a value is a `MatchedPairError`, whose text can be shown.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict
from os import PathLike
from pathlib import Path
from typing import Any

from matchedpair.answers import answer_of, facts_from_values
from matchedpair.curves.curve import Curve, fit_curve
from matchedpair.curves.points import Point
from matchedpair.errors import InputError
from matchedpair.measures.pair_report import StatedTimes, compare_files
from matchedpair.measures.render import Viewing
from matchedpair.measures.report import measure_files
from matchedpair.measures.zones import Zone
from matchedpair.plain_files import parsed_json, read_plain

File = str | PathLike[str]
MOST_BYTES = 256 * 1024 * 1024


def measure_render(
    render: File,
    *,
    twins: Iterable[File] = (),
    reference: File | None = None,
    reference_twin: File | None = None,
    zones: Mapping[str, tuple[int, int, int, int]] | None = None,
    view: str = "",
    exposure: float = 0.0,
) -> dict[str, Any]:
    """Measure one render: noise from its twins, error from a reference, fireflies, patches, detail, look.

    Parameters
    ----------
    twins : iterable of paths
        The same render with other seeds.
    zones : mapping
        By name x, y, width, height in pixels.
    view, exposure : str, float
        View transform and stops by which visible measures look at it.

    Returns
    -------
    dict
        ``checks`` and ``zones``, as ``matchedpair measure --json`` prints them.

    Raises
    ------
    matchedpair.InputError
        When a file cannot be read, or a zone lies outside.
    """
    parsed = [Zone.parse(f"{','.join(map(str, box))}", name) for name, box in (zones or {}).items()]
    return measure_files(
        Path(render), twins=[Path(each) for each in twins], reference=_path(reference),
        reference_twin=_path(reference_twin), zones=parsed, viewing=Viewing(view, exposure),
    )  # fmt: skip


def compare_pair(
    control: File,
    trial: File,
    *,
    control_twins: Iterable[File] = (),
    trial_twins: Iterable[File] = (),
    reference: File | None = None,
    seconds: tuple[float, float] | None = None,
    view: str = "",
    exposure: float = 0.0,
) -> dict[str, Any]:
    """Compare a trial with its control: noise in the same places, difference, look, time.

    Parameters
    ----------
    seconds : (float, float) or None
        What the control and the trial took.

    Returns
    -------
    dict
        As ``matchedpair pair --json`` prints it.

    Raises
    ------
    matchedpair.InputError
        When a file cannot be read.
    """
    return compare_files(
        {"control": Path(control), "trial": Path(trial), "reference": _path(reference)},
        control_twins=[Path(each) for each in control_twins], trial_twins=[Path(each) for each in trial_twins],
        times=StatedTimes(*seconds, None, None) if seconds else None, viewing=Viewing(view, exposure),
    )  # fmt: skip


def fit_ladder(steps: Sequence[tuple[float, float, float]]) -> Curve:
    """The law through a ladder: how noise falls and time grows with a quality knob.

    Parameters
    ----------
    steps : sequence of (quality, seconds, noise in percent)

    Returns
    -------
    Curve
        With ``noise_at(quality)`` in percent and ``seconds_at(quality)``.

    Raises
    ------
    matchedpair.RefusedError
        With fewer than two usable steps, or where noise does not fall.
    """
    return fit_curve([Point(float(quality), float(seconds), float(noise)) for quality, seconds, noise in steps])


def answer_study(export: File | Mapping[str, Any]) -> dict[str, Any]:
    """The answer to a study's question, from its exported figures: a file, or what stood in one.

    Returns
    -------
    dict
        ``sentence``, ``sure``, ``because``, ``but``, ``next`` and so on, as ``matchedpair answer --json`` prints it.

    Raises
    ------
    matchedpair.InputError
        When it is no such export.
    """
    values: Any = export
    if not isinstance(export, Mapping):
        path = Path(export)
        values = parsed_json(read_plain(path, MOST_BYTES), path.name)
    answer: dict[str, Any] = json.loads(json.dumps(asdict(answer_of(facts_from_values(values)))))
    return answer


def _path(file: File | None) -> Path | None:
    return None if file is None else Path(file)


__all__ = ["Curve", "InputError", "answer_study", "compare_pair", "fit_ladder", "measure_render"]
