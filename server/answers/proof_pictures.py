"""The pictures that prove a study's answer: both sides of the telling pair, enlarged where the difference shows, or the
chosen option beside what it is judged by.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from matchedpair.answers import OptionFact
from matchedpair.answers.answer import CURVE, VISIBLE_ERROR, VISIBLE_NOISE, Proof
from matchedpair.answers.caveats import most_seen, seen_stops
from matchedpair.answers.photograph import set_up
from matchedpair.answers.thresholds import PLAIN_STOPS
from matchedpair.measures.places import Places
from matchedpair.measures.telling import Box, exposure_for, part_around, where_noise_differs
from matchedpair.measures.zones import WHOLE
from matchedpair.pictures.picture import Floats, Picture, luminance
from matchedpair.plans.plan_kind import ENGINE, QUALITY, VERSION, is_place

from server.answers.facts import option_name
from server.answers.studies import AnsweredStudy, answered_study
from server.measuring.measuring import unpacked
from server.measuring.models import Measure
from server.measuring.option_facts import frame_name
from server.measuring.which_reference import References
from server.pairs.look_facts import part_facts
from server.pairs.pair import PairFigures, pair_figures, with_all, zone_box
from server.runs.models import Run
from server.store.pixels import beside, stored_picture
from server.studies.models import AS_CONTROL, Option, Study

Size = tuple[int, int]


@dataclass(frozen=True)
class Shown:
    """One picture, and the part of it that is shown: x, y, width and height in its own pixels; `value` is its figure of
    the measure that is told, in ΔE.
    """

    title: str
    picture: str
    box: Box
    seconds: float | None = None
    value: float | None = None
    option: int = 0


@dataclass(frozen=True)
class ProofPictures:
    """Pictures side by side, first the control; `part` tells whether only a part is shown, `where` names its zone,
    `exposure` is in stops, `reference` is what both are judged by, in the same part.
    """

    pair: int
    part: bool
    where: str
    exposure: float
    transform: str
    measure: str
    sides: tuple[Shown, ...]
    reference: Shown | None = None
    place: str = ""  # of several places the one that is shown


def proof_pictures(study: Study) -> ProofPictures | None:
    """What shows the study's answer; None before there is anything to show. Raises `PictureError`."""
    found = answered_study(study)
    proof = found.answer.shown
    if proof is None:
        return None
    pair = _telling_pair(study, found, proof)
    where, pictures = _of_option(found, proof) if pair is None else _of_pair(found, pair, proof)
    reference = _reference(pair, pictures) if pair is not None else None
    if len(pictures) < 2:
        return None
    read = [stored_picture(each.picture) for each in pictures]
    light = [_light(picture, each.box) for picture, each in zip(read, pictures, strict=True)]
    number = pair.pair.pk if pair is not None else 0
    part = pictures[0].box[2:] != read[0].size
    return ProofPictures(
        number, part, where, exposure_for(light), study.setup.view_transform, proof.measure, tuple(pictures), reference,
        _place(found, pictures),
    )  # fmt: skip


def _place(found: AnsweredStudy, pictures: list[Shown]) -> str:
    fact = next(filter(None, (found.facts.option(each.option) for each in pictures)), None)
    return fact.place if fact is not None and len(found.facts.places) > 1 else ""


def _telling_pair(study: Study, found: AnsweredStudy, proof: Proof) -> PairFigures | None:
    """The pair that the proof names, a search's own too, which no figure of the study counts. Of a curve that of what
    was chosen, or, where that is the control, the first of the curve's own.
    """
    named = next((row for row in found.pairs if row.pair.pk == proof.pair), None)
    if named is None and proof.pair and (own := with_all(study.pairs.filter(pk=proof.pair)).first()) is not None:
        named = pair_figures(own)
    if named is not None or proof.kind != CURVE:
        return named
    wanted = [found.answer.choice, *proof.options]
    rows = [row for row in found.pairs if row.pair.trial_id in wanted]
    return min(rows, key=lambda row: wanted.index(row.pair.trial_id), default=None)


def proof_thumbnail(study: Study) -> bytes | None:
    """The same small, as one PNG. Raises `PictureError`."""
    found = proof_pictures(study)
    if found is None:
        return None
    return beside([(each.picture, each.box) for each in found.sides], found.transform, found.exposure)


def _of_pair(found: AnsweredStudy, pair: PairFigures, proof: Proof) -> tuple[str, list[Shown]]:
    """Control and trial, in the part that the proof names or where they differ most."""
    sides = (pair.control, pair.trial)
    if not all(side.runs for side in sides):
        return "", []
    sizes = [side.option.setup.description().picture_size for side in sides]
    if found.facts.question == "pass":
        return "", _passes(found, pair, sizes)
    where, box = _part(pair, proof, sizes[0])
    facts = [found.facts.option(side.option.pk) for side in sides]
    shown = [
        _shown(fact, side.runs[0].picture, _scaled(box, sizes[0], size), proof.measure)
        for fact, side, size in zip(facts, sides, sizes, strict=True)
    ]
    if facts[0] is None or facts[1] is None:
        named = zip(shown, sides, strict=True)
        return where, [
            each if each.title else replace(each, title=_made_by_search(side.option)) for each, side in named
        ]
    titles = _titles(facts[0], facts[1])
    return where, [replace(each, title=title) for each, title in zip(shown, titles, strict=True)]


def _made_by_search(option: Option) -> str:
    """How what a search made is called: by what it changes, and its frame where it has more than one."""
    if option.title == frame_name(option.setup):
        return f"{option_name(option)}, {option.title}"
    return option.title if option.title != AS_CONTROL else option_name(option)


def _passes(found: AnsweredStudy, pair: PairFigures, sizes: list[Size]) -> list[Shown]:
    """Both sides' own pass as a whole."""
    shown = []
    for side, size in zip((pair.control, pair.trial), sizes, strict=True):
        fact = found.facts.option(side.option.pk)
        name = fact.passed.name if fact is not None and fact.passed is not None else ""
        if fact is not None and fact.passed is not None and name in side.runs[0].passes:
            noise = fact.passed.noise.value if fact.passed.noise is not None else None
            whole = _shown(fact, side.runs[0].passes[name], (0, 0, *size), VISIBLE_NOISE)
            shown.append(replace(whole, title=f"{whole.title}: {name}", value=noise))
    return shown


def _titles(control: OptionFact, trial: OptionFact) -> tuple[str, str]:
    """Both sides by what differs between them: the control by its own level of that, its size where sizes differ."""
    changed = {level.subject for level in trial.levels if level.changed and not is_place(level.subject)}
    own = [
        f"{level.title[:1].lower()}{level.title[1:]} {level.shown}" for level in control.levels
        if level.subject in changed - {ENGINE, VERSION, QUALITY, control.knob.replace(" ", "_")}
    ]  # fmt: skip
    names = (", ".join(own) if len(own) == len(changed) and own else control.name, trial.name)
    if control.name == trial.name and control.size == trial.size:
        places = [
            (level.shown, other.shown) for level, other in zip(control.levels, trial.levels, strict=False)
            if level.subject == other.subject and is_place(level.subject) and level.shown != other.shown
        ]  # fmt: skip
        return ", ".join([names[0], *(own for own, _ in places)]), ", ".join([names[1], *(own for _, own in places)])
    if control.size == trial.size:
        return names
    first, second = (
        f"{fact.size[0]} × {fact.size[1]}, {name}" for fact, name in zip((control, trial), names, strict=True)
    )
    return first, second


def _part(pair: PairFigures, proof: Proof, size: Size) -> tuple[str, Box]:
    if proof.zone and proof.zone != WHOLE and proof.zone in pair.control.zones:
        x, y, width, height = zone_box(pair.control.option, pair.control.zones, proof.zone)
        return proof.zone, part_around((x, y, width, height), size)
    if proof.box is not None:
        return "", part_around(proof.box, size)
    most = most_seen(part_facts(pair.comparison))
    if most is not None and seen_stops(most) >= PLAIN_STOPS:
        return "", part_around(most.box, size)
    noisy = [_places(side.visible_noise) for side in (pair.control, pair.trial)]
    if noisy[0] is not None and noisy[1] is not None:
        part = where_noise_differs(noisy[0], noisy[1], size)
        if part is not None:
            return "", part
    return "", part_around(most.box, size) if most is not None else (0, 0, *size)


def _of_option(found: AnsweredStudy, proof: Proof) -> tuple[str, list[Shown]]:
    """An option as a whole, beside its reference or its photograph, else beside its control; two beside each other."""
    if len(proof.options) == 2:
        return "", _of_two(found, proof)
    option = Option.objects.filter(pk__in=proof.options).select_related("setup__scene", "control").first()
    if option is None:
        return "", []
    size = option.setup.description().picture_size
    whole = (0, 0, *size)
    references = References()
    reference, photograph = references.of(option.setup), references.photograph_of(option.setup)
    shown = []
    if photograph is not None and found.facts.question == "light":
        picture = photograph.matched_picture or photograph.picture
        shown.append(Shown(f"Photograph: {photograph.title}", picture, (0, 0, *_size(picture))))
    elif reference is not None:
        shown.append(Shown(f"Reference: {reference.title}", reference.picture, whole))
    elif option.control is not None and (picture := _first(option.control)):
        shown.append(_shown(found.facts.option(option.control.pk), picture, (0, 0, *_size(picture)), proof.measure))
    if picture := _first(option):
        fact = found.facts.option(option.pk)
        own = _shown(fact, picture, whole, proof.measure)
        if fact is None:  # as of what a search made
            own = replace(own, title=option_name(option))
        elif found.facts.question == "light":
            own = replace(own, title=set_up(fact))
        shown.append(own)
    return "", shown


def _of_two(found: AnsweredStudy, proof: Proof) -> list[Shown]:
    """Two options that are no pair, in the part that the proof names."""
    first, second = (found.facts.option(key) for key in proof.options)
    pictures = first_pictures(proof.options)
    if first is None or second is None or len(pictures) < 2:
        return []
    box = part_around(proof.box, first.size) if proof.box is not None else (0, 0, *first.size)
    titles = _titles(first, second)
    return [
        replace(_shown(fact, pictures[fact.key], _scaled(box, first.size, fact.size), proof.measure), title=title)
        for fact, title in zip((first, second), titles, strict=True)
    ]


def first_pictures(options: Sequence[int]) -> dict[int, str]:
    """By option the picture of its first seed, as far as it is there."""
    runs = Run.objects.filter(option__in=options, state="finished", warm_up=False).exclude(picture="")
    return dict(runs.order_by("-seed").values_list("option", "picture"))


def _first(option: Option) -> str:
    return first_pictures([option.pk]).get(option.pk, "")


def _size(picture: str) -> Size:
    return stored_picture(picture).size


def _shown(fact: OptionFact | None, picture: str, box: Box, measure: str) -> Shown:
    if fact is None:
        return Shown("", picture, box)
    noise = fact.visible_noise.value if fact.visible_noise is not None else None
    value = fact.visible_error if measure == VISIBLE_ERROR else noise
    return Shown(fact.name, picture, box, fact.seconds.value if fact.seconds else None, value, fact.key)


def _reference(pair: PairFigures, pictures: list[Shown]) -> Shown | None:
    """The part that is shown of the control's reference; None without one, and where the pictures are passes."""
    control = pair.control.option
    reference = References().of(control.setup)
    if reference is None or not pictures or pictures[0].picture != pair.control.runs[0].picture:
        return None
    return Shown(f"Reference: {reference.title}", reference.picture, pictures[0].box)


def _scaled(box: Box, size: Size, other: Size) -> Box:
    """The same part of a picture of another size."""
    across, down = other[0] / size[0], other[1] / size[1]
    x, y, width, height = box
    return round(x * across), round(y * down), max(round(width * across), 1), max(round(height * down), 1)


def _places(row: Measure | None) -> Places | None:
    return None if row is None or row.refused else unpacked(row.places)


def _light(picture: Picture, box: Box) -> Floats:
    x, y, width, height = box
    part = luminance(picture.pixels[y : y + height, x : x + width])
    return np.asarray(part[picture.valid[y : y + height, x : x + width]], dtype=np.float32)
