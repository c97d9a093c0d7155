"""What the runner does next: a state machine without input or output. Events go in, instructions come out.

Its state is only what is in flight. The queue's truth is what is stored, and comes in with every look: whatever process
is killed at whatever moment, a new machine in its first state sees the stored rows and goes on from there, so that no
finished run is lost and none is made twice.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

State = Literal["queued", "running"]
Act = Literal["start", "interrupt", "requeue", "mark_stopped", "warm_up"]


@dataclass(frozen=True)
class QueueRow:
    """A stored run that has not ended, in the order in which runs are to be made.

    Parameters
    ----------
    warms : str
        What a warm-up for it gets ready: engine, build and scene.
    turn : str
        Runs of one turn (a study's options at one seed) go to one machine, so that their times compare; empty when it
        does not matter.
    machine : str
        A warm-up made for one machine alone; empty for any.
    """

    run: int
    state: State
    warms: str = ""
    warm_up: bool = False
    turn: str = ""
    machine: str = ""
    stop_asked: bool = False


@dataclass(frozen=True)
class Flight:
    """A run that a machine renders now."""

    run: int
    machine: str
    turn: str = ""
    interrupted: bool = False


@dataclass(frozen=True)
class Looked:
    """The runner looked at what is stored and who is there.

    Parameters
    ----------
    rows : sequence of QueueRow
        All runs that are queued or running, first to be made first.
    machines : sequence of str
        Names of the machines with a worker; one timed render at a time on each.
    warm : set of (str, str)
        What has been warmed up lately, on which machine.
    turns : mapping
        On which machine a turn has been begun.
    held : bool
        The queue is paused, or cannot go on: nothing new is started.
    resting : set of str
        Machines on which something else computes just now, so that nothing can be timed there.
    """

    rows: Sequence[QueueRow]
    machines: Sequence[str]
    warm: frozenset[tuple[str, str]] = frozenset()
    turns: Mapping[str, str] = field(default_factory=dict)
    held: bool = False
    resting: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Ended:
    """A render came back and is written down, or it could not be started at all."""

    run: int


Event = Looked | Ended


@dataclass(frozen=True)
class Instruction:
    """One thing to do, to one run.

    ``requeue``: stored as running, but nobody renders it: its runner or its machine was lost. ``interrupt``: end the
    engine. ``mark_stopped``: take it out of the queue. ``start``: render it on `machine`. ``warm_up``: make a warm-up
    run for this one's engine and scene on `machine`, to be rendered before it.
    """

    act: Act
    run: int
    machine: str = ""


@dataclass(frozen=True)
class QueueState:
    """The runner's state: what is in flight."""

    flights: tuple[Flight, ...] = ()

    def after(self, event: Event) -> tuple[QueueState, list[Instruction]]:
        """The state after an event, and what to do now, in order."""
        if isinstance(event, Ended):
            return replace(self, flights=tuple(f for f in self.flights if f.run != event.run)), []
        flights, tidying = _tidied(self.flights, event)
        gone = {instruction.run for instruction in tidying if instruction.act == "mark_stopped"}
        waiting = [row for row in event.rows if row.run not in gone | {flight.run for flight in flights}]
        if event.held:
            return QueueState(flights), tidying
        flights, starting = _started(flights, waiting, event)
        return QueueState(flights), tidying + starting


def _tidied(flights: tuple[Flight, ...], look: Looked) -> tuple[tuple[Flight, ...], list[Instruction]]:
    """Lost and unwanted runs: what stays in flight, and the instructions."""
    instructions: list[Instruction] = []
    rows = {row.run: row for row in look.rows}
    kept: list[Flight] = []
    for flight in flights:
        row = rows.get(flight.run)
        if row is None:  # ended or removed by another hand: let the engine go
            instructions.append(Instruction("interrupt", flight.run, flight.machine))
        elif flight.machine in look.machines:
            if row.stop_asked and not flight.interrupted:
                instructions.append(Instruction("interrupt", flight.run, flight.machine))
                flight = replace(flight, interrupted=True)  # noqa: PLW2901 - the flight as it is from now on
            kept.append(flight)
    flying = {flight.run for flight in kept}
    for row in look.rows:
        if row.run in flying:
            continue
        if row.stop_asked:
            instructions.append(Instruction("mark_stopped", row.run))
        elif row.state == "running":
            instructions.append(Instruction("requeue", row.run))
    return tuple(kept), instructions


def _started(
    flights: tuple[Flight, ...], waiting: Sequence[QueueRow], look: Looked
) -> tuple[tuple[Flight, ...], list[Instruction]]:
    """At most one run for each machine that is free."""
    instructions: list[Instruction] = []
    turns = {**look.turns, **{flight.turn: flight.machine for flight in flights if flight.turn}}
    busy = {flight.machine for flight in flights}
    begun: list[Flight] = list(flights)
    left = list(waiting)
    for machine in look.machines:
        if machine in busy or machine in look.resting:
            continue
        row = next((row for row in left if _may_start(row, machine, turns, look.machines)), None)
        if row is None:
            continue
        if not row.warm_up and row.warms and (row.warms, machine) not in look.warm:
            ready = next((each for each in left if each.warm_up and each.warms == row.warms), None)
            if ready is None or not _may_start(ready, machine, turns, look.machines):
                instructions.append(Instruction("warm_up", row.run, machine))
                continue
            row = ready
        instructions.append(Instruction("start", row.run, machine))
        left.remove(row)
        begun.append(Flight(row.run, machine, row.turn))
        if row.turn:
            turns[row.turn] = machine
    return tuple(begun), instructions


def _may_start(row: QueueRow, machine: str, turns: Mapping[str, str], machines: Sequence[str]) -> bool:
    """Not what is meant for another machine, as long as that one is there."""
    meant = row.machine if row.warm_up else turns.get(row.turn, "") if row.turn else ""
    return meant in ("", machine) or meant not in machines
