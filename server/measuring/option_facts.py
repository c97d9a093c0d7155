"""What goes below an option's picture wherever it is shown: its renders by seed, its time, its noise by zone."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from statistics import fmean, median

from django.db.models import QuerySet
from matchedpair.measures.cost import RunTimes, time_basis, times_interval
from matchedpair.measures.drawn_zones import DrawnZone
from matchedpair.measures.figure import Interval
from matchedpair.scenes import AS_IS, variant_words

from server.catalogue.models import SceneRevision
from server.catalogue.zones import signature
from server.measuring.inputs import ZonesByView, is_current, zones_to_measure
from server.measuring.measuring import NOISE
from server.measuring.models import Measure
from server.measuring.which_reference import References, place_of
from server.runs.models import OPEN_STATES, Run, RunState
from server.studies.models import Option, Purpose, Setup, Study

MOST_AT_ONCE = 900  # numbers in one query


@dataclass(frozen=True)
class OptionFacts:
    """An option with its counted runs, what is measured on its view, and the measures that were asked for.

    Parameters
    ----------
    runs : list of Run
        Those counted that have a picture, by seed.
    counted : list of Run
        All that are finished and count, by seed.
    timed : list of Run
        These, and times of which there is no picture.
    open : bool
        Whether renders that count are still to come.
    measures : dict
        Stored rows by measure and zone, up to date or not.
    beside : list of Run
        Those timed of the option's control, among the options that were asked for.
    """

    option: Option
    runs: list[Run]
    counted: list[Run]
    timed: list[Run]
    open: bool
    zones: dict[str, list[DrawnZone]]
    measures: dict[tuple[str, str], Measure]
    beside: list[Run] = field(default_factory=list)

    @property
    def title(self) -> str:
        """What the option is, in words."""
        return self.option.title or self.option.get_side_display()

    @property
    def times(self) -> list[RunTimes]:
        """What its runs cost, as far as that is known."""
        return _times_of(self.timed)

    def interval(self, seconds: Sequence[float]) -> Interval:
        """95 % interval of the median of these seconds of its runs, as they are read beside the control's."""
        return times_interval(seconds, self.times, _times_of(self.beside))

    def seconds(self) -> tuple[float | None, str]:
        """Median of rendering, else of the whole, and whether by ``wall`` or ``cpu``; None when not known."""
        times = self.times
        if not times:
            return None, ""
        basis = time_basis(times)
        rendering = [seconds for each in times if (seconds := each.render_seconds(basis)) is not None]
        whole = [each.seconds(basis) for each in times]
        return median(rendering if len(rendering) == len(times) else whole), basis

    @property
    def reached(self) -> float | None:
        """The samples that its renders got done on average, where the engine says so of each."""
        known = [run.reached for run in self.runs if run.reached is not None]
        return fmean(known) if known and len(known) == len(self.runs) else None

    def goes_down(self, knob: str, down: set[tuple[str, str]]) -> bool:
        """Whether less of a setting buys less noise, as of a threshold; `down` has such settings by engine."""
        stated = knob == self.option.quality_knob and self.option.knob_goes_down
        return stated or (self.option.engine, knob) in down

    def noise(self, zone: str) -> Measure | None:
        """The noise in a zone, if it is up to date."""
        return self.measure(NOISE, zone)

    def measure(self, name: str, zone: str, references: References | None = None) -> Measure | None:
        """A measure in a zone, if it is up to date; `references` are needed for those that rest on one."""
        kept = self.measures.get((name, zone))
        if kept is None or zone not in self.zones:
            return None
        reference = references.of(self.option.setup) if references else None
        return kept if is_current(kept, self.counted, signature(self.zones[zone]), reference) else None


def _times_of(runs: Iterable[Run]) -> list[RunTimes]:
    return [times for run in runs if (times := run.times()) is not None]


def all_facts(options: QuerySet[Option], zones: ZonesByView, names: Sequence[str] = (NOISE,)) -> list[OptionFacts]:
    """Gather what is known of many options, pilots left out, in their order; these measures are read with them."""
    rows = list(options.filter(purpose=Purpose.COUNTED).select_related("setup"))
    numbers = [option.pk for option in rows]
    by_number = dict(zip(numbers, rows, strict=True))
    # rows are put together here and not by the database layer, which makes a scene and a study anew for every one
    scenes = SceneRevision.objects.in_bulk({option.setup.scene_id for option in rows})
    studies = Study.objects.defer("draft").in_bulk({option.study_id for option in rows})
    for option in rows:
        option.setup.scene, option.study = scenes[option.setup.scene_id], studies[option.study_id]
    runs: dict[int, list[Run]] = defaultdict(list)
    measures: dict[int, dict[tuple[str, str], Measure]] = defaultdict(dict)
    for start in range(0, len(numbers), MOST_AT_ONCE):
        some = numbers[start : start + MOST_AT_ONCE]
        found = Run.objects.filter(option__in=some).order_by("seed", "position")
        for run in found.defer("log", "command", "machine"):
            run.study, run.option = studies[run.study_id], by_number[run.option_id]
            runs[run.option_id].append(run)
        for row in Measure.objects.filter(option__in=some, name__in=names):
            measures[row.option_id][(row.name, row.zone)] = row
    facts = [_facts(option, runs[option.pk], measures[option.pk], zones) for option in rows]
    timed = {own.option.pk: own.timed for own in facts}
    return [replace(own, beside=timed.get(own.option.control_id or 0, [])) for own in facts]


def _facts(
    option: Option, runs: list[Run], measures: dict[tuple[str, str], Measure], zones: ZonesByView
) -> OptionFacts:
    timed = [run for run in runs if run.state == RunState.FINISHED and not run.warm_up]
    counted = [run for run in timed if not run.time_alone]
    to_come = any(run.state in OPEN_STATES and not run.warm_up for run in runs)
    pictured = [run for run in counted if run.picture]
    return OptionFacts(option, pictured, counted, timed, to_come, zones_to_measure(option.setup, zones), measures)


def place_names(setups: Iterable[Setup]) -> dict[tuple[object, ...], str]:
    """For each different place (by `place_of`) its scene, and as much more as tells it apart from the others."""
    there = {place_of(setup): setup for setup in setups}
    names = {key: setup.scene.title for key, setup in there.items()}
    for part in _PARTS:
        if len(set(names.values())) == len(names):
            break
        if len({part(setup) for setup in there.values()}) > 1:
            names = {key: ", ".join(filter(None, (name, part(there[key])))) for key, name in names.items()}
    return names


def frame_name(setup: Setup) -> str:
    """How a frame is called among others."""
    return f"frame {setup.frame}"


_PARTS: tuple[Callable[[Setup], str], ...] = (
    lambda setup: setup.view,
    lambda setup: f"{setup.width} × {setup.height}",
    lambda setup: "" if setup.variant == AS_IS else variant_words(setup.variant),
    frame_name,
    lambda setup: ", ".join(f"{name.replace('_', ' ')} {value:g}" for name, value in sorted(setup.quantities.items())),
    lambda setup: f"part {setup.crop}" if setup.crop else "",
)


def setup_in_words(setup: Setup) -> str:
    """Scene, view and size."""
    return f"{setup.scene.title}, {setup.view}, {setup.width} × {setup.height}"
