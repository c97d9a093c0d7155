"""How a choice compares with its control and its reference, place by place: what tells where it fails."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial

from matchedpair.answers.caveats import most_seen, part_stops, seen_stops
from matchedpair.answers.phrases import part_of
from matchedpair.choose import Held
from matchedpair.choose.failing import REFERENCE
from matchedpair.measures.zones import WHOLE

from server.catalogue.zones import zones_by_view
from server.decisions.candidates import OfStudy, known_figure
from server.measuring.option_facts import OptionFacts, frame_name
from server.measuring.which_reference import References, place_of
from server.pairs.look_facts import part_facts
from server.pairs.pair import PairFigures, pair_figures, with_all
from server.studies.models import Pair, Study


def held_of(study: Study, chosen: OfStudy, options: Sequence[OfStudy]) -> list[Held]:
    """The choice at every place, whole, by zone, and in the part that changed most: its look against the reference
    where there is one, else as all else against its own control.
    """
    places = {facts.option.pk: (place, facts) for place, facts in chosen.options.items()}
    by_option = {facts.option.pk: facts for row in options for facts in row.options.values()}
    frames = len({facts.option.setup.frame for facts in chosen.options.values()}) > 1
    references, zones = References(), zones_by_view()
    rows: list[Held] = []
    for pair in with_all(Pair.objects.filter(study=study, trial__in=places)).order_by("pk"):
        if pair.control_id == pair.trial.control_id:
            place, own = places[pair.trial_id]
            control = by_option.get(pair.control_id)
            rows += _of_pair(pair_figures(pair, zones), place, own, control, references, frames=frames)
    return rows


def _of_pair(
    found: PairFigures, place: str, own: OptionFacts, control: OptionFacts | None, references: References, *,
    frames: bool,
) -> list[Held]:  # fmt: skip
    setup = found.pair.trial.setup
    if frames:
        place = ", ".join(part for part in place.split(", ") if part != frame_name(setup))
    row = partial(Held, place, pair=found.pair.pk, frame=setup.frame if frames else None)
    zones = {zone.zone: zone for zone in found.zones}
    # another frame or size than the control's: what is the choice's own can still be told
    beside = place_of(found.pair.control.setup) == place_of(setup)
    rows = []
    for look in found.looks:
        measured = found.trial.noise if look.name == WHOLE else zones[look.name].trial
        held = row(look.name, percent=known_figure(measured))
        if beside:
            time = found.time_ratio if look.name == WHOLE else None
            held = replace(
                held, time=time, noise=look.noise, stops=look.stops, stops_interval=look.stops_interval,
                colour=look.colour,
            )  # fmt: skip
        stops, colour = (known_figure(own.measure(name, look.name, references)) for name in ("stops", "colour"))
        if stops is not None:
            held = replace(
                held, stops=stops.value, stops_interval=stops.interval, colour=colour.value if colour else None,
                against=REFERENCE,
            )  # fmt: skip
        rows.append(held)
    part = most_seen(part_facts(found.comparison))
    if beside and part is not None and not _is_off(control, seen_stops(part), references):
        where = part_of(part, setup.description().picture_size)
        rows.append(row(where, stops=part_stops(part.percent), box=part.box, seen=part.seen))
    return rows


def _is_off(control: OptionFacts | None, change: float, references: References) -> bool:
    """Whether the control itself is so far off the reference that a change against it says nothing."""
    stops = known_figure(control.measure("stops", WHOLE, references)) if control is not None else None
    return stops is not None and abs(stops.value) > change / 2
