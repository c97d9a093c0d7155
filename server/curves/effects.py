"""Which setting of a study matters: the effect of each factor's levels on noise, time and look."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from statistics import median

from matchedpair.choose import Effect, Interaction, Response, by_weight, interactions, main_effects
from matchedpair.measures.cost import times_interval
from matchedpair.measures.noise import relative_error
from matchedpair.measures.zones import WHOLE
from matchedpair.plans.plan_kind import is_place

from server.catalogue.zones import zones_by_view
from server.measuring.inputs import denoised_apart
from server.measuring.models import Comparison
from server.measuring.option_facts import OptionFacts, all_facts
from server.measuring.paired import paired_noise
from server.studies.models import Option, Study
from server.verdicts.looks import looks_of

NOISE, TIME, LOOK = "noise", "time", "look"
Responses = Mapping[tuple[int, ...], Response]


@dataclass(frozen=True)
class FactorEffects:
    """One factor: its title, its levels by their numbers (the baseline's first), and their effects by figure."""

    subject: str
    title: str
    levels: list[str]
    effects: dict[str, list[Effect]]


@dataclass(frozen=True)
class StudyEffects:
    """All factors, those that matter most for noise or time first; interactions by figure; which there can be."""

    factors: list[FactorEffects]
    interactions: dict[str, list[Interaction]]
    subjects: list[str]
    table: bool


def study_effects(study: Study, zone: str = WHOLE) -> StudyEffects:
    """Gather the effects; measures nothing."""
    drawn = zones_by_view()
    facts = all_facts(Option.objects.filter(study=study, in_plan=True, left_out="").order_by("number", "pk"), drawn)
    if not facts or not facts[0].option.levels:
        return StudyEffects([], {}, [], table=False)
    shown: list[dict[str, int]] = [{} for _ in facts[0].option.levels]
    combos: dict[tuple[int, ...], OptionFacts] = {}
    for each in sorted(facts, key=lambda own: any(level["changed"] for level in own.option.levels)):
        combos.setdefault(_combination(each.option, shown), each)
    looks, by_option = _looks(study, zone), {each.option.pk: each for each in facts}
    compared = Comparison.objects.filter(pair__study=study, zone=zone).exclude(noise_refused="")
    unlike = set(compared.values_list("pair__trial", flat=True))
    given = {
        NOISE: _known(
            {row: None if own.option.pk in unlike else _noise(own, zone, by_option) for row, own in combos.items()}
        ),
        TIME: _known({row: _time(own) for row, own in combos.items()}),
        LOOK: _known({row: looks.get(own.option.pk) for row, own in combos.items()}),
    }
    effects = {name: main_effects(responses) for name, responses in given.items()}
    levels = facts[0].option.levels
    order = list(dict.fromkeys([*by_weight(effects[NOISE]), *by_weight(effects[TIME]), *range(len(levels))]))
    factors = [
        FactorEffects(
            levels[place]["subject"], levels[place]["title"], list(shown[place]),
            {name: [row for row in found if row.factor == place] for name, found in effects.items()},
        )
        for place in order if not is_place(levels[place]["subject"]) and len(shown[place]) > 1
    ]  # fmt: skip
    both = {name: interactions(responses) for name, responses in given.items()}
    titles = [level["title"] for level in levels]
    return StudyEffects(factors, both, titles, table=any(both.values()))


def _combination(option: Option, shown: list[dict[str, int]]) -> tuple[int, ...]:
    """The number of the option's level at each factor; the baseline comes first and so has 0."""
    numbers = []
    for place, level in enumerate(option.levels):
        words = str(level["shown"])
        shown[place].setdefault(words, len(shown[place]))
        numbers.append(shown[place][words])
    return tuple(numbers)


def _known(given: Mapping[tuple[int, ...], Response | None]) -> Responses:
    return {row: response for row, response in given.items() if response is not None}


def _noise(own: OptionFacts, zone: str, by_option: Mapping[int, OptionFacts]) -> Response | None:
    """Of noise that compares with the control's: not of what is denoised in another way."""
    control = by_option.get(own.option.control_id or own.option.pk)
    if control is not None and denoised_apart(control.option, own.option):
        return None
    figure = paired_noise(control.noise(zone) if control else None, own.noise(zone))
    if figure is None or figure.method != "twin" or figure.value <= 0.0:
        return None
    return Response(math.log(figure.value), relative_error(figure))


def _time(own: OptionFacts) -> Response | None:
    seconds, basis = own.seconds()
    if not seconds:
        return None
    times = own.times
    each = [t.render_seconds(basis) or t.seconds(basis) for t in times]
    low, high = times_interval([value for value in each if value > 0.0] or [seconds], times)
    return Response(math.log(median(each)), math.log(high / low) / 2 / 1.96)


def _looks(study: Study, zone: str) -> dict[int, Response]:
    """Brightness of each trial against its control, in natural logarithms; controls are at 0 by definition."""
    found = {pk: Response(0.0, 0.0) for pk in study.options.filter(control=None).values_list("pk", flat=True)}
    for trial, look in looks_of(study, zone).items():
        if look["interval"]:
            low, high = look["interval"]
            found[trial] = Response(look["stops"] * math.log(2.0), (high - low) / 2 / 1.96 * math.log(2.0))
    return found
