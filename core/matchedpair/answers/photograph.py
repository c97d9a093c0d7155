"""Which light set-up comes nearest the photograph? By criterion and overall, after brightness and white balance."""

from __future__ import annotations

from collections.abc import Callable

from matchedpair.answers.answer import (
    ADD_PHOTOGRAPH,
    NOTHING,
    OPTION,
    REFERENCE,
    SURE,
    UNSURE,
    Answer,
    Claim,
    Proof,
    Step,
)
from matchedpair.answers.facts import NearFact, OptionFact, StudyFacts
from matchedpair.answers.missing import nothing_yet
from matchedpair.answers.phrases import capital, listed, number, sentence
from matchedpair.answers.settle import LARGER, more_seeds
from matchedpair.measures.zones import WHOLE

HIGHLIGHTS = "highlights"
CLIPPED = 0.5  # percent of the photograph, half of what its highlights are taken from
PLAIN_STOPS = 0.2  # shadows or highlights this far off are told
CRITERIA: tuple[tuple[str, Callable[[NearFact], float]], ...] = (
    ("the direction of light and shadow", lambda near: -near.direction.value),
    ("contrast", lambda near: abs(near.contrast.value)),
    ("colour", lambda near: near.colour.value),
    (HIGHLIGHTS, lambda near: abs(near.highlights.value)),
)  # fmt: skip


def answer(facts: StudyFacts) -> Answer:
    """The set-up with the least distance over the whole, and which criterion each other one wins."""
    rows = [(option, near) for option in facts.options if (near := _whole(option)) is not None]
    if len(rows) < 2:
        return _missing(facts)
    rows.sort(key=lambda row: row[1].distance.value)
    (best, near), (second, other) = rows[:2]
    proof = Proof(OPTION, options=(best.key,))
    rest = listed([number(each.distance.value) for _, each in rows[1:]])
    told = tuple(Claim(text, Proof(OPTION, options=(key,))) for key, text in _criteria(rows))
    if near.distance.value + near.distance.half_width(0.05) >= other.distance.value - other.distance.half_width(0.05):
        text = (
            f"Not sure yet: {set_up(best)} and {set_up(second)} are as near to the photograph "
            f"(about {number(near.distance.value)} ΔE)"
        )
        apart = max(other.distance.value - near.distance.value, 0.01)
        step = (
            more_seeds([best, second], near.distance.half_width(0.05) + other.distance.half_width(0.05), apart)
            or LARGER
        )
        return Answer(facts.question, sentence(text), UNSURE, 0, told, _but(facts, near), step, proof)
    text = f"{capital(set_up(best))} comes nearest the photograph: {number(near.distance.value)} ΔE against {rest}"
    return Answer(facts.question, sentence(text), SURE, best.key, told, _but(facts, near), None, proof)


def _missing(facts: StudyFacts) -> Answer:
    reason = next((option.not_near for option in facts.options if option.not_near), "")
    if reason:
        text = f"Not decided: the photograph cannot be laid over these renders. {capital(reason)}"
        return Answer(facts.question, sentence(text), UNSURE)
    if len([option for option in facts.options if option.seeds]) < 2 or any(option.open for option in facts.options):
        return nothing_yet(facts)
    if not facts.has_photograph:
        text = "Not decided: there is no photograph of this view to compare the renders with"
        return Answer(facts.question, sentence(text), UNSURE, next=Step(ADD_PHOTOGRAPH, "Add a photograph"))
    if any(option.seeds and not option.near for option in facts.options):
        return Answer(facts.question, "The renders are there and wait to be compared with the photograph.", NOTHING)
    return Answer(facts.question, "Only one of these set-ups can be compared with the photograph.", NOTHING)


def _criteria(rows: list[tuple[OptionFact, NearFact]]) -> list[tuple[int, str]]:
    """For each set-up what it is nearest in."""
    won: dict[int, list[str]] = {}
    for title, off in CRITERIA:
        if title == HIGHLIGHTS and any(_clipped(near) for _, near in rows):
            continue
        key = min(rows, key=lambda row: off(row[1]))[0].key
        won.setdefault(key, []).append(title)
    found = []
    for option, _ in rows:
        if option.key in won:
            found.append((option.key, f"{capital(set_up(option))} is nearest in {listed(won[option.key])}."))
    return found


def _but(facts: StudyFacts, near: NearFact) -> tuple[Claim, ...]:
    """What the nearest one still lacks, worst first, and what a photograph cannot decide."""
    proof = Proof(REFERENCE)
    ends = [("shadows", near.shadows.value), (HIGHLIGHTS, 0.0 if _clipped(near) else near.highlights.value)]
    ends.sort(key=lambda row: -abs(row[1]))
    found = [
        Claim(f"its {name} are {number(abs(value))} stops too {'bright' if value > 0 else 'dark'}")
        for name, value in ends
        if abs(value) >= PLAIN_STOPS
    ]
    if cut_off := _clipped(near):
        cut = f"{number(cut_off)} % of the photograph is clipped, so it decides nothing of highlights"
        found.append(Claim(cut, proof))
    found.append(Claim("brightness and white balance were matched, so the photograph says nothing of them", proof))
    apart = [set_up(option) for option in facts.options if option.not_near]
    if apart:
        found.append(Claim(f"the photograph could not be laid over {listed(apart)}", proof))
    if facts.left_out:
        found.append(Claim(f"left out: {listed(facts.left_out[:3])}", proof))
    return tuple(found)


def _clipped(near: NearFact) -> float:
    """Percent of the photograph that is cut off; 0 where that is too little to decide highlights, or not known."""
    share = near.clipped.value if near.clipped is not None else 0.0
    return share if share >= CLIPPED else 0.0


def _whole(option: OptionFact) -> NearFact | None:
    return next((near for near in option.near if near.zone == WHOLE), None)


def set_up(option: OptionFact) -> str:
    """What an option is called as a set-up of light."""
    level = next((each for each in option.levels if each.subject == "light"), None)
    return level.shown if level is not None else option.name
