"""What to do next with the queue: a pure function of what is stored and what is in flight.

Nothing is remembered between calls. Whatever process is killed at whatever moment, the next call sees the stored rows
and goes on from there, so that no finished run is lost and none is made twice.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

State = Literal["queued", "running", "finished", "failed", "stopped"]
Act = Literal["start", "interrupt", "requeue", "mark_stopped"]


@dataclass(frozen=True)
class QueueRow:
    """A stored run as the queue sees it, in the order in which runs are to be made."""

    run: int
    state: State
    stop_asked: bool = False


@dataclass(frozen=True)
class Instruction:
    """One thing to do, to one run."""

    act: Act
    run: int


def next_instructions(rows: Sequence[QueueRow], in_flight: int | None) -> list[Instruction]:
    """Instructions for this moment, in order.

    Parameters
    ----------
    rows : sequence of QueueRow
        All stored runs that are queued or running, first to be made first.
    in_flight : int or None
        The run whose engine this runner is waiting for now.

    Returns
    -------
    list of Instruction
        ``requeue``: stored as running, but nobody renders it; its runner was killed. ``interrupt``: end the engine.
        ``mark_stopped``: take it out of the queue. ``start``: render it; at most one, and only when none is in flight.
    """
    instructions: list[Instruction] = []
    startable: list[int] = []
    for row in rows:
        if row.run == in_flight:
            if row.stop_asked:
                instructions.append(Instruction("interrupt", row.run))
        elif row.state in ("queued", "running") and row.stop_asked:
            instructions.append(Instruction("mark_stopped", row.run))
        elif row.state == "running":
            instructions.append(Instruction("requeue", row.run))
            startable.append(row.run)
        elif row.state == "queued":
            startable.append(row.run)
    if in_flight is None and startable:
        instructions.append(Instruction("start", startable[0]))
    return instructions
