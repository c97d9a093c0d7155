"""What a whole study says: its pairs in short, one sentence, one match sheet. Kept until something changes."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from threading import Lock
from typing import Any

from django.db.models import Count, Max
from matchedpair.answers import Answer, StudyFacts, answer_of
from matchedpair.conditions import MatchSheet, merged_sheet

from server.answers.facts import MEASURED, study_facts
from server.catalogue.zones import zones_by_view, zones_stamp
from server.measuring.models import Comparison, Measure
from server.measuring.option_facts import OptionFacts, all_facts
from server.measuring.which_reference import References, references_stamp
from server.pairs.pair import PairFigures, pair_figures, with_all
from server.runs.models import OPEN_STATES, Run
from server.store.kept_answers import is_passing
from server.studies.models import Option, Pair, Purpose, Study

MOST_KEPT = 400
SLOW_SECONDS, PATIENCE = 0.5, 10
_lock = Lock()
ByStudy = dict[int, StudyFacts]
Stamps = dict[int, Any]
_more: list[tuple[Callable[[Sequence[Study], ByStudy, Stamps], ByStudy], Callable[[Sequence[Study]], Stamps]]] = []


def more_facts_by(
    add: Callable[[Sequence[Study], ByStudy, Stamps], ByStudy], stamps: Callable[[Sequence[Study]], Stamps]
) -> None:
    """Who knows more of studies (their sequences, their searches): what changes with it by study, and, from that, the
    facts of those that it knows more of, with that in them. Said once each, at the start.
    """
    _more.append((add, stamps))


@dataclass(frozen=True)
class AnsweredStudy:
    """A study's pairs, the answer to its question with what it rests on, and its match sheet; None without a pair."""

    pairs: tuple[PairFigures, ...]
    facts: StudyFacts
    answer: Answer
    sheet: MatchSheet | None

    @property
    def sentence(self) -> str:
        """The answer in one sentence."""
        return self.answer.sentence


@dataclass(frozen=True)
class _Kept:
    """What a study says with what it rests on, when it was gathered, and how many seconds that took."""

    stamp: Any
    answered: AnsweredStudy
    at: float
    took: float

    def serves(self, stamp: Any, *, now: bool) -> bool:
        """Whether they are still true; to be shown, those of a huge study serve a little longer, or nothing else would
        be done.
        """
        young = not now and self.took > SLOW_SECONDS and time.monotonic() - self.at < PATIENCE * self.took
        return self.stamp == stamp or young


_kept: OrderedDict[int, _Kept] = OrderedDict()


def forget_answers() -> None:
    """Gather all anew when next asked: the database was put back as it had been, so that numbers mean others."""
    with _lock:
        _kept.clear()


def answered_study(study: Study, *, now: bool = False) -> AnsweredStudy:
    """Gather what is known of all pairs of a study; the same again while nothing has changed.

    Whoever acts on them asks for those of `now`: those that are only shown may be a little older.
    """
    return answered_studies([study], now=now)[study.pk]


def answered_studies(studies: Sequence[Study], *, now: bool = False) -> dict[int, AnsweredStudy]:
    """What many studies say by their numbers, asked for together."""
    more = _known_of(studies)
    stamps = _stamps(studies, more)
    with _lock:
        kept = {pk: _kept[pk] for pk in stamps if pk in _kept}
    found = {pk: row.answered for pk, row in kept.items() if row.serves(stamps[pk], now=now)}
    if any(kept[pk].stamp != stamps[pk] for pk in found):
        is_passing()
    stale = [study for study in studies if study.pk not in found]
    if stale:
        began = time.monotonic()
        zones = zones_by_view()
        rows: dict[int, list[PairFigures]] = {study.pk: [] for study in stale}
        pairs = Pair.objects.filter(study__in=stale, trial__in_plan=True, trial__left_out="")
        for pair in with_all(pairs).order_by("pk"):
            rows[pair.study_id].append(pair_figures(pair, zones))
        references = References()
        options: dict[int, list[OptionFacts]] = {study.pk: [] for study in stale}
        planned = Option.objects.filter(study__in=stale, in_plan=True, left_out="").order_by("number", "pk")
        for each in all_facts(planned, zones, MEASURED):
            options[each.option.study_id].append(each)
        judging = Run.objects.filter(study__in=stale, option__purpose=Purpose.REFERENCE, state__in=OPEN_STATES)
        awaited = set(judging.values_list("study", flat=True))
        facts = {
            study.pk: study_facts(
                study, rows[study.pk], options[study.pk], references, reference_to_come=study.pk in awaited
            )
            for study in stale
        }
        for (add, _), known in zip(_more, more, strict=True):
            facts |= add(stale, facts, known)
        for pk, own in rows.items():
            sheet = merged_sheet([row.sheet for row in own]) if own else None
            found[pk] = AnsweredStudy(tuple(own), facts[pk], answer_of(facts[pk]), sheet)
        took = time.monotonic() - began
        for study in stale:
            _keep(study.pk, _Kept(stamps[study.pk], found[study.pk], time.monotonic(), took))
    return found


def _keep(study: int, kept: _Kept) -> None:
    with _lock:
        _kept[study] = kept
        _kept.move_to_end(study)
        while len(_kept) > MOST_KEPT:
            _kept.popitem(last=False)


def stamps_of(studies: Sequence[Study]) -> Stamps:
    """For each study what changes with its runs' states, its measures, its plan, its pairs, every zone and reference,
    and with what others know more of it. Tells it from any other study of whatever database.
    """
    return _stamps(studies, _known_of(studies))


def _known_of(studies: Sequence[Study]) -> list[Stamps]:
    """What each of those who know more of studies says of them."""
    return [known(studies) for _, known in _more]


def _stamps(studies: Sequence[Study], more: Sequence[Stamps]) -> Stamps:
    all_of_them = (zones_stamp(), references_stamp())
    stamps: dict[int, list[Any]] = {
        study.pk: [study.created_at, study.asked, study.question, study.repeats, all_of_them] for study in studies
    }
    runs = Run.objects.filter(study__in=studies).order_by("study", "state").values_list("study", "state")
    for pk, *row in runs.annotate(Count("pk"), Max("ended_at"), Count("let_go_at")):
        stamps[pk].append(row)
    measures = Measure.objects.filter(option__study__in=studies).order_by("option__study")
    for pk, *row in measures.values_list("option__study").annotate(Count("pk"), Max("pk"), Max("measured_at")):
        stamps[pk].append(row)
    compared = Comparison.objects.filter(pair__study__in=studies).order_by("pair__study")
    for pk, *row in compared.values_list("pair__study").annotate(Count("pk"), Max("measured_at")):
        stamps[pk].append(row)
    pairs = Pair.objects.filter(study__in=studies).order_by("study")
    for pk, *row in pairs.values_list("study").annotate(Count("pk"), Max("pk"), Max("matched_on")):
        stamps[pk].append(row)
    options = Option.objects.filter(study__in=studies).order_by("pk")
    for pk, *row in options.values_list("study", "pk", "in_plan", "left_out"):
        stamps[pk].append(row)
    for known in more:
        for pk, row in known.items():
            stamps[pk].append(row)
    return stamps
