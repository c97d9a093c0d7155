"""Blind tests of a pair: planned, answered round by round, and what they tell per person and together."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from random import Random, SystemRandom

from django.db import transaction
from django.utils import timezone
from matchedpair.errors import InputError
from matchedpair.judging.blind import ANSWERS, KINDS, Answered, BlindResult, blind_result, plan_rounds
from matchedpair.plans import CONTROL, TRIAL

from server.measuring.inputs import counted_runs
from server.studies.models import Pair
from server.verdicts.models import BlindRound, BlindTest


@dataclass(frozen=True)
class BlindResults:
    """What one kind of blind test tells of a pair: of all people together, and of each by name."""

    kind: str
    together: BlindResult
    people: list[tuple[str, BlindResult]]


@transaction.atomic
def begin_test(
    pair: Pair, *, kind: str, rounds: int, zones: Sequence[str], author: str, dice: Random | None = None
) -> BlindTest:
    """Plan a test for one person. Raises `InputError` where the core refuses, or for pictures of different sizes."""
    runs = {CONTROL: counted_runs(pair.control), TRIAL: counted_runs(pair.trial)}
    pictures = {(side, run.seed): run.picture for side, rows in runs.items() for run in rows if run.picture}
    seeds = {side: [seed for own, seed in pictures if own == side] for side in runs}
    sizes = {option.setup.description().picture_size for option in (pair.control, pair.trial)}
    if len(sizes) > 1:
        raise InputError("the two sides differ in size, which would tell them apart")
    try:
        planned = plan_rounds(kind, rounds, zones, seeds[CONTROL], seeds[TRIAL], dice or SystemRandom())
    except ValueError as error:
        raise InputError(str(error)) from error
    test = BlindTest.objects.create(pair=pair, kind=kind, author=author)
    BlindRound.objects.bulk_create(
        BlindRound(
            test=test, number=number, zone=row.zone, left_side=row.left.side, right_side=row.right.side,
            left_picture=pictures[row.left.side, row.left.seed], right_picture=pictures[row.right.side, row.right.seed],
        )
        for number, row in enumerate(planned, start=1)
    )  # fmt: skip
    return test


def open_round(test: BlindTest) -> BlindRound | None:
    """The round that waits for an answer; None when all are answered or the test was ended."""
    return None if test.ended_at else test.rounds.filter(answer="").first()


@transaction.atomic
def give_answer(test: BlindTest, *, number: int, answer: str, seconds: float | None) -> None:
    """Answer the round that waits. Raises `InputError` for another round, or an answer that this kind does not know."""
    waiting = open_round(test)
    if waiting is None:
        raise InputError("this blind test is over")
    if waiting.number != number:
        raise InputError(f"round {number} does not wait for an answer; round {waiting.number} does")
    if answer not in ANSWERS[test.kind]:
        raise InputError(f"the answer is one of {', '.join(ANSWERS[test.kind])}, got {answer!r}")
    BlindRound.objects.filter(pk=waiting.pk, answer="").update(answer=answer, seconds=seconds)
    if open_round(test) is None:
        end_test(test)


def end_test(test: BlindTest) -> None:
    """End a test; what is answered so far counts."""
    BlindTest.objects.filter(pk=test.pk, ended_at=None).update(ended_at=timezone.now())


def test_result(test: BlindTest) -> BlindResult | None:
    """What a test tells; None before it is over, since a result on the way would steer the rest."""
    return blind_result(test.kind, _answered(test.rounds.all())) if test.ended_at else None


def pair_results(pair: Pair) -> list[BlindResults]:
    """What all tests of a pair that are over tell, by kind."""
    found = []
    for kind in KINDS:
        people: dict[str, list[Answered]] = defaultdict(list)
        for test in pair.blind_tests.filter(kind=kind).exclude(ended_at=None).prefetch_related("rounds"):
            people[test.author] += _answered(test.rounds.all())
        rows = [(name, result) for name, answers in people.items() if (result := blind_result(kind, answers))]
        together = blind_result(kind, [each for answers in people.values() for each in answers])
        if together:
            found.append(BlindResults(kind, together, sorted(rows)))
    return found


def _answered(rounds: Iterable[BlindRound]) -> list[Answered]:
    return [Answered(row.left_side != row.right_side, row.left_side, row.answer) for row in rounds if row.answer]
