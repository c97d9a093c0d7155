"""What goes below an option's picture wherever it is shown: its renders by seed, its time, its noise by zone."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from statistics import median

from django.db.models import Prefetch, QuerySet
from matchedpair.measures.areas import Area
from matchedpair.measures.cost import time_basis
from matchedpair.trials import AS_IS

from server.catalogue.zones import signature
from server.findings.inputs import ZonesByView, areas_to_measure, counted_runs, is_current
from server.findings.judging import References, place_of
from server.findings.measuring import NOISE
from server.findings.models import Measure
from server.runs.models import Run
from server.studies.models import Option, Purpose, Setup


@dataclass(frozen=True)
class OptionFacts:
    """An option with its counted runs that have a picture, and what is measured on its view."""

    option: Option
    runs: list[Run]
    areas: dict[str, list[Area]]

    @property
    def title(self) -> str:
        """What the option is, in words."""
        return self.option.title or self.option.get_side_display()

    def seconds(self) -> tuple[float | None, str]:
        """Median of rendering, else of the whole, and whether by ``wall`` or ``cpu``; None when not known."""
        times = [times for run in self.runs if (times := run.times()) is not None]
        if not times:
            return None, ""
        basis = time_basis(times)
        rendering = [seconds for each in times if (seconds := each.render_seconds(basis)) is not None]
        whole = [each.wall_seconds if basis == "wall" else each.cpu_seconds for each in times]
        return median(rendering if len(rendering) == len(times) else whole), basis

    def noise(self, zone: str) -> Measure | None:
        """The noise in a zone, if it is up to date."""
        return self.measure(NOISE, zone)

    def measure(self, name: str, zone: str, references: References | None = None) -> Measure | None:
        """A measure in a zone, if it is up to date; `references` are needed for those that rest on one."""
        kept = next((row for row in self.option.measures.all() if (row.name, row.zone) == (name, zone)), None)
        if kept is None or zone not in self.areas:
            return None
        reference = references.of(self.option.setup) if references else None
        return kept if is_current(kept, counted_runs(self.option), signature(self.areas[zone]), reference) else None


def facts_of(option: Option, zones: ZonesByView) -> OptionFacts:
    """Gather what is known of an option."""
    runs = [run for run in counted_runs(option) if run.picture]
    return OptionFacts(option, runs, areas_to_measure(option.setup, zones))


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


_PARTS: tuple[Callable[[Setup], str], ...] = (
    lambda setup: setup.view,
    lambda setup: f"{setup.width} × {setup.height}",
    lambda setup: "" if setup.variant == AS_IS else setup.variant,
    lambda setup: f"frame {setup.frame}",
    lambda setup: ", ".join(f"{name.replace('_', ' ')} {value:g}" for name, value in sorted(setup.quantities.items())),
    lambda setup: f"part {setup.crop}" if setup.crop else "",
)


def setup_in_words(setup: Setup) -> str:
    """Scene, view and size."""
    return f"{setup.scene.title}, {setup.view}, {setup.width} × {setup.height}"


def with_facts(options: QuerySet[Option], names: Sequence[str] = (NOISE,)) -> QuerySet[Option]:
    """A query of options with everything `facts_of` reads and these measures; pilots are not among them."""
    runs = Run.objects.select_related("study").defer("log", "command").order_by("position")
    noise = Measure.objects.filter(name__in=names)
    counted = options.filter(purpose=Purpose.COUNTED).select_related("setup__scene")
    return counted.prefetch_related(Prefetch("runs", runs), Prefetch("measures", noise))
