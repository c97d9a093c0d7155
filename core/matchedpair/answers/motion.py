"""Moving pictures: which sequence is calmest, how much of it boils, and which follows the light late."""

from __future__ import annotations

import math
from statistics import fmean, median, stdev

from matchedpair.answers.answer import (
    HIGHER_LEVELS,
    NOTHING,
    OPTION,
    PAIR,
    REFERENCE_SEQUENCE,
    SURE,
    UNSURE,
    Answer,
    Claim,
    Proof,
    Step,
)
from matchedpair.answers.facts import SequenceFact, StudyFacts
from matchedpair.answers.phrases import between, capital, listed, number, percent, sentence, times
from matchedpair.answers.thresholds import TIME

LEAST_FRAMES = 8  # below which nothing is ranked
BOILS = 0.3  # share of the flicker in slow patches, from which it is said
LATE = 1.0  # frames for 90 % of a change


def answer(facts: StudyFacts) -> Answer:
    """The calmest sequence, by what strays from a reference where there is one, else by flicker."""
    rows = [row for row in facts.sequences if row.calm is not None]
    if len(rows) < len(facts.sequences) or len(rows) < 2:
        text = f"{len(rows)} of {len(facts.sequences)} sequences are measured"
        return Answer(facts.question, sentence(text), NOTHING)
    frames = min(row.frames for row in rows)
    rows = sorted(rows, key=lambda row: row.value)
    best, second = rows[0], rows[1]
    what = "strays least from the reference" if all(row.by_reference for row in rows) else "flickers least"
    told = tuple(_told(facts, row) for row in rows[1:4])
    apart = _calmer(best, second)
    proof = _proof(best)
    if any(row.light_changes and not row.by_reference for row in rows):
        text = "Not sure yet: the light itself changes over these frames, and flicker holds that too"
        return Answer(facts.question, sentence(text), UNSURE, 0, (), _but(facts, rows), TO_REFERENCE, proof)
    if frames < LEAST_FRAMES:
        text = f"Not sure yet: {frames} frames are too few to rank; from {LEAST_FRAMES} on they can be"
        return Answer(facts.question, sentence(text), UNSURE, 0, told, _but(facts, rows), MORE_FRAMES, proof)
    if not apart:
        alike = [row for row in rows if row is best or not _calmer(best, row)]
        on_time = [row for row in alike if not _is_late(row)]
        if len(on_time) == 1:
            return _on_time(facts, rows, on_time[0], [row for row in alike if _is_late(row)])
        text = f"Not sure yet: {listed([_name(row) for row in alike[:3]])} could each be the calmest"
        told = (_told(facts, best), *told)
        return Answer(facts.question, sentence(text), UNSURE, 0, told, _but(facts, rows), MORE_FRAMES, proof)
    if any(row.moves and not row.by_reference for row in rows):
        # what moves adds the same to all of them, so that their order holds and their figures do not
        text = f"{capital(_name(best))} {what}{_time(facts, best)}"
        return Answer(facts.question, sentence(text), SURE, best.option, (), _but(facts, rows), TO_REFERENCE, proof)
    text = f"{capital(_name(best))} {what}: {_calm(best)}{_time(facts, best)}"
    return Answer(facts.question, sentence(text), SURE, best.option, told, _but(facts, rows), None, proof)


def _on_time(facts: StudyFacts, rows: list[SequenceFact], best: SequenceFact, late: list[SequenceFact]) -> Answer:
    """Of several that may be as calm as each other the one that does not lag."""
    are, follow = ("is", "follows") if len(late) == 1 else ("are", "follow")
    lag = number(max(row.lag or 0.0 for row in late))
    others = listed([_name(row) for row in late[:3]])
    text = f"{capital(_name(best))}: {others} {are} not clearly calmer, and {follow} the light {lag} frames late"
    strays = "strays {} from the reference" if all(row.by_reference for row in rows) else "flickers by {}"
    told = tuple(
        Claim(sentence(f"{_name(row)} {strays.format(_calm(row))}{_time(facts, row)}"), _proof(row))
        for row in [best, *late][:3]
    )
    but = _but(facts, [row for row in rows if row not in late])
    return Answer(facts.question, sentence(text), SURE, best.option, told, but, None, _where_late(facts, late[0]))


def _is_late(row: SequenceFact) -> bool:
    return row.lag is not None and row.lag >= LATE


def _where_late(facts: StudyFacts, row: SequenceFact) -> Proof:
    """Its pair with the control at the frame where it is further off than that by most; itself where none is known."""
    pairs = {pair.trial: pair for pair in facts.pairs}
    errors = {key: error for each in facts.sequences for key, error in zip(each.options, each.errors, strict=False)}
    further = [
        (errors[key] - errors.get(pairs[key].control, math.inf), key)
        for key in row.options
        if key in pairs and key in errors
    ]
    if not further:
        return _proof(row)
    pair = pairs[max(further)[1]]
    return Proof(PAIR, pair.key, (pair.control, pair.trial))


def _calmer(best: SequenceFact, second: SequenceFact) -> bool:
    """Whether one is surely the calmer: frame against frame, since a frame's light is both's; else by intervals."""
    pairs = [(b, s) for b, s in zip(best.by_frame, second.by_frame, strict=False) if b > 0 and s > 0]
    if len(best.by_frame) != len(second.by_frame) or len(pairs) < LEAST_FRAMES:
        return best.interval[1] < second.interval[0]
    logs = [math.log(s / b) for b, s in pairs]
    # neighbouring frames are much alike, so two count as one
    return fmean(logs) - 1.96 * stdev(logs) / math.sqrt(len(logs) / 2) > 0


MORE_FRAMES = Step(HIGHER_LEVELS, "Add frames")
TO_REFERENCE = Step(REFERENCE_SEQUENCE, "Make a reference sequence")


def _but(facts: StudyFacts, rows: list[SequenceFact]) -> tuple[Claim, ...]:
    """Patches that boil, and methods that lag."""
    found = [
        Claim(
            f"{_name(row)} is late: {number(row.lag)} frames longer to follow 90 % of a light change",
            _where_late(facts, row),
        )
        for row in rows
        if row.lag is not None and _is_late(row)
    ]
    # a light that moves, or is followed late, is slow too, so that of it nothing can be said
    boiling = [
        row for row in rows
        if (row.boiling_share or 0.0) >= BOILS and not row.light_changes and not row.moves and not _is_late(row)
    ]  # fmt: skip
    if any(row.moves and not row.by_reference for row in rows):
        found.append(Claim("things move in the picture, so by how much is known only against a reference sequence"))
    found += [
        Claim(f"{percent(row.boiling_share or 0.0)} of what moves in {_name(row)} is slow patches", _proof(row))
        for row in boiling[:2]
    ]
    return tuple(found)


def _told(facts: StudyFacts, row: SequenceFact) -> Claim:
    return Claim(f"{capital(_name(row))}: {_calm(row)}{_time(facts, row)}.", _proof(row))


def _time(facts: StudyFacts, row: SequenceFact) -> str:
    """Such as ``, 4.5 × the render time`` over the control's, of the middle frame; empty where it is as long."""
    ratios = [pair.time.value for pair in facts.pairs if pair.trial in row.options and pair.time is not None]
    middle = median(ratios or [1.0])
    return "" if abs(middle - 1) < TIME else f", {times(middle)} × the render time"


def _calm(row: SequenceFact) -> str:
    return f"{number(row.value)} % {between(*row.interval, ' %')}"


def _name(row: SequenceFact) -> str:
    return row.title.removeprefix("engine ")


def _proof(row: SequenceFact) -> Proof:
    return Proof(OPTION, options=(row.option,))
