"""The measurer: measures, compares, makes maps, takes in what was handed over, and takes searches further.

It works between timed renders, one piece of work at a time, so that a bad one can be named: a piece that fails is tried
again a few times, one that brings the process down twice is set aside, and the others go on.
"""

from __future__ import annotations

import json
import logging
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import DatabaseError, connection
from django.db.models import Max
from django.utils import timezone

from server.answers.until_sure import repeat_until_sure
from server.catalogue.zones import zones_by_view
from server.imports.growing import join, look_into_folder, sets_that_grow, watched_sets
from server.imports.inbox import take_in_one, waiting_folder
from server.measuring.comparing import compare_outstanding
from server.measuring.maps import make_layer, wanted_layers
from server.measuring.measuring import measure_options
from server.measuring.models import MapLayer
from server.measuring.question_measures import measure_for_questions
from server.motion.measuring import measure_sequences
from server.processes.heartbeat import Heart, machine_seconds
from server.processes.models import Trouble
from server.processes.outstanding import Look, forget_look, options_since
from server.processes.turns import seen, turn, wish
from server.references.actions import from_option, rendered_to_judge
from server.searches.confirming import tell_again
from server.searches.same_noise import advance_all as match_further
from server.searches.searching import advance_all as search_further
from server.store.notices import EVERYTHING, MEASURED, PROGRESS, Listener, ring
from server.studies.models import Option

SLOW_LOOK_SECONDS = 30.0  # only for a notice that was lost
TURN_SECONDS = 10.0  # at a stretch while a render waits
LOOK_FOR_TURN_SECONDS = 0.05
TRY_AGAIN_SECONDS = 2.0
MOST_TRIES = 3
MOST_CRASHES = 2
AGAIN = "again"
AT_ONCE = 20
log = logging.getLogger("server.measurer")


@dataclass(frozen=True)
class Work:
    """A piece of work: what kind, on what, what it rests on, in words, and how it is done."""

    kind: str
    key: str
    about: str
    do: Callable[[], Any]
    rests_on: str = ""


class Measurer:
    """Does what is due until told to stop."""

    def __init__(self, heart: Heart | None = None) -> None:
        self._heart = heart
        self._turn, self._wish = turn(), wish()
        self._failed = False
        self._troubles = {(row.kind, row.key): row for row in Trouble.objects.all()}
        self._count_crash()

    def run_until(self, told_to_stop: Callable[[], bool]) -> None:
        """Work whenever something changed and no render is timed on this machine."""
        listener = Listener()
        topics = [EVERYTHING]
        while not told_to_stop():
            if AGAIN in topics:
                self._begin_anew()
            try:
                if any(topic not in (PROGRESS, MEASURED) for topic in topics) and self._has_turn(told_to_stop):
                    began = machine_seconds()
                    self.work(let_go=True)
                    self._turn.let_go()
                    seen(began)
            except (DatabaseError, OSError):
                # a full disk or a locked database may mend, and the piece at hand is not to blame for it
                log.exception("could not go on; trying again")
                forget_doing()
                self._turn.let_go()
                time.sleep(TRY_AGAIN_SECONDS)
                topics = [EVERYTHING]
                continue
            topics = listener.wait(SLOW_LOOK_SECONDS, or_until=told_to_stop) or [EVERYTHING]

    def work(self, *, let_go: bool = False) -> int:
        """Do all that is due, in order; returns how many pieces. Whoever has the turn for longer than its stretch while
        a render waits lets it go between two pieces, and goes on when it is free again.
        """
        done = 0
        began = time.monotonic()
        for work in self._due():
            if not self._may_try(work):
                continue
            if let_go and time.monotonic() - began > TURN_SECONDS and self._wish.held_by_another():
                self._turn.let_go()
                seen(machine_seconds())
                while not self._turn.take():
                    time.sleep(LOOK_FOR_TURN_SECONDS)
                began = time.monotonic()
            done += self._do(work)
        if self._heart:
            self._heart.doing("")
        return done

    def _has_turn(self, told_to_stop: Callable[[], bool]) -> bool:
        while not self._turn.take():
            if told_to_stop():
                return False
            time.sleep(LOOK_FOR_TURN_SECONDS)
        return True

    def _due(self) -> Iterator[Work]:
        """What is to be done, first what was handed over and asked for, then what renders brought."""
        took_in = False
        while (folder := waiting_folder()) is not None:
            took_in = True
            yield Work("take in", folder.name, f"takes in {folder.name}", take_in_one)
            if waiting_folder() == folder:  # set aside
                break
        for row in watched_sets():
            yield Work("watch", str(row.pk), f"looks for renders of “{row.title}”", partial(look_into_folder, row.pk))
        for row in sets_that_grow():
            took_in = True
            do = partial(join, row.pk)
            yield Work("join", str(row.pk), f"adds what came to “{row.title}”", do, str(row.renders.count()))
        for option in rendered_to_judge():
            about = f"takes the reference of “{option.study.question}”"
            yield Work("reference", str(option.pk), about, partial(from_option, option))
        for row in wanted_layers():
            about = f"makes a map of {row.name.replace('_', ' ')}"
            yield Work("map", str(row.pk), about, partial(_made, row), str(row.inputs))
        yield from self._measuring(took_in)
        for kind, about, do in (
            ("until sure", "asks whether studies are sure", repeat_until_sure),
            ("same noise", "takes searches for matched pairs further", match_further),
            ("search", "takes searches further", search_further),
        ):
            yield Work(kind, "", about, do)

    def _measuring(self, took_in: bool) -> Iterator[Work]:
        """Options whose renders, zones or references changed since the last time, their pairs, and their sequences."""
        now = Look.now()
        options = options_since(Look.last(), now, took_in=took_in)
        if options is None:
            return
        self._failed = False
        rows = list(options.values_list("pk", "study", "study__question"))
        options_now = Option.objects.filter(pk__in=[row[0] for row in rows]).order_by()
        last = dict(options_now.values_list("pk").annotate(Max("runs__ended_at")))
        for pk, _, question in rows:
            yield Work(
                "option", str(pk), f"measures for “{question}”", partial(measure_options, [pk]), str(last.get(pk))
            )
        zones = zones_by_view()
        for start in range(0, len(rows), AT_ONCE):
            some = [row[0] for row in rows[start : start + AT_ONCE]]
            yield Work("pairs", str(some[0]), "compares pairs", partial(compare_outstanding, some, zones))
        for study, question in {study: question for _, study, question in rows}.items():
            mine = [pk for pk, own, _ in rows if own == study]
            asks = f"measures what “{question}” asks"
            yield Work("question", str(study), asks, partial(measure_for_questions, mine, zones))
            moves = f"measures sequences of “{question}”"
            yield Work("sequences", str(study), moves, partial(measure_sequences, [study]))
            yield Work("search", str(study), f"holds what “{question}” found", partial(tell_again, study))
        if self._failed:
            forget_look()
        else:
            now.keep()

    def _may_try(self, work: Work) -> bool:
        trouble = self._troubles.get((work.kind, work.key))
        if trouble is None or trouble.set_aside_at is None:
            return True
        if work.rests_on and trouble.rests_on != work.rests_on[:100]:
            self._forget(work)
            return True
        return False

    def _do(self, work: Work) -> bool:
        """Do a piece of work; whether it did anything that others should know of."""
        if self._heart:
            self._heart.doing(work.about)
        _doing().write_text(json.dumps({"kind": work.kind, "key": work.key, "about": work.about,
                                        "rests_on": work.rests_on[:100]}), encoding="utf-8")  # fmt: skip
        try:
            did = work.do()
        except Exception as error:
            connection.close()  # whatever it was in the middle of
            log.exception("%s: %s", work.about, error)
            self._note(work, str(error) or type(error).__name__)
            self._failed = True  # it is due again
            did = True
        else:
            self._forget(work)
        _doing().unlink(missing_ok=True)
        if did:
            ring(MEASURED)
        return bool(did)

    def _note(self, work: Work, reason: str) -> None:
        fields = {"about": work.about, "rests_on": work.rests_on[:100], "reason": reason}
        row, _ = Trouble.objects.update_or_create(kind=work.kind, key=work.key, defaults=fields)
        row.tries += 1
        if row.tries >= MOST_TRIES:
            row.set_aside_at = timezone.now()
        row.save()
        self._troubles[work.kind, work.key] = row

    def _forget(self, work: Work) -> None:
        trouble = self._troubles.pop((work.kind, work.key), None)
        if trouble is not None:
            trouble.delete()

    def _count_crash(self) -> None:
        """What the last measurer was doing when it was gone; the second time it is set aside."""
        try:
            left = json.loads(_doing().read_text(encoding="utf-8"))
            key = {"kind": str(left["kind"]), "key": str(left["key"])}
            fields = {"about": str(left["about"]), "rests_on": str(left["rests_on"])}
        except (OSError, ValueError, KeyError, TypeError):
            return
        _doing().unlink(missing_ok=True)
        row, _ = Trouble.objects.get_or_create(**key, defaults=fields)
        row.tries += 1
        row.reason = "the measurer ended while it did this"
        if row.tries >= MOST_CRASHES:
            row.set_aside_at = timezone.now()
            log.warning("%s: set aside, it ended the measurer %s times", row.about, row.tries)
        row.save()
        self._troubles[row.kind, row.key] = row

    def _begin_anew(self) -> None:
        """Somebody asked for something that was set aside."""
        self._troubles = {(row.kind, row.key): row for row in Trouble.objects.all()}


def _made(row: MapLayer) -> bool:
    make_layer(row)
    return True


def try_again(row: Trouble) -> None:
    """Have a piece of work that was set aside tried once more."""
    row.delete()
    forget_look()
    ring(AGAIN)


def forget_doing() -> None:
    """What is being done is not to blame when the process ends now: it was told to."""
    _doing().unlink(missing_ok=True)


def _doing() -> Path:
    return Path(settings.HOME) / "measurer.doing"
