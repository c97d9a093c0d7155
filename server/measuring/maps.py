"""Maps to lay over pictures: asked for by a screen, made by the runner between renders, kept until they are old."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from django.db.models import QuerySet
from matchedpair.errors import InputError
from matchedpair.measures.layers import LAYER_OF, PAIR, RENDER, Layer, shown_range
from matchedpair.pictures import write_exr
from matchedpair.pictures.picture import Floats

from server.catalogue.zones import signature, zones_by_view
from server.measuring.disk import drop_unused
from server.measuring.inputs import ZonesByView, comparison_inputs, counted_runs, made_or_reason, zones_to_measure
from server.measuring.models import Comparison, LayerState, MapLayer
from server.measuring.reading import pair_measures, render_measures
from server.measuring.which_reference import References, reference_pictures
from server.store.files import keep_file
from server.store.pixels import PICTURE
from server.studies.models import Option, Pair

HALF_MOST = 65504.0


def ask_for_layer(subject: Option | Pair, name: str) -> MapLayer:
    """A map of an option or a pair: the kept one while it is current, else one that the runner is to make.

    Raises `InputError` when there is no such map of it.
    """
    layer = LAYER_OF.get(name)
    of, field = (RENDER, "option") if isinstance(subject, Option) else (PAIR, "pair")
    if layer is None or layer.of != of:
        names = ", ".join(each.name for each in LAYER_OF.values() if each.of == of)
        raise InputError(f"there is no map {name!r} of a {of}; there are {names}")
    inputs = layer_inputs(subject, layer, zones_by_view(), References())
    row, _ = MapLayer.objects.get_or_create(**{field: subject}, name=name, defaults={"inputs": inputs})
    if row.inputs != inputs:
        MapLayer.objects.filter(pk=row.pk).update(state=LayerState.WANTED, inputs=inputs, refused="")
        row.refresh_from_db()
    return row


def layer_inputs(subject: Option | Pair, layer: Layer, zones: ZonesByView, references: References) -> list[str]:
    """What a map rests on: the versions, the pictures, and what is left out."""
    option = subject if isinstance(subject, Option) else subject.control
    left_out = signature(zones_to_measure(option.setup, zones)["whole"])
    if isinstance(subject, Pair):
        runs = comparison_inputs(counted_runs(subject.control), counted_runs(subject.trial))
        return [Comparison.VERSION, left_out, *runs]
    reference = reference_pictures(references.of(option.setup))
    return [Comparison.VERSION, left_out, *(run.picture for run in counted_runs(option)), "by", *reference]


def make_wanted_layers() -> int:
    """Make every map that is wanted. Returns how many were made or refused."""
    done = 0
    for row in wanted_layers():
        make_layer(row)
        done += 1
    return done


def wanted_layers() -> QuerySet[MapLayer]:
    """The maps that screens ask for, in the order in which they did."""
    return MapLayer.objects.filter(state=LayerState.WANTED).order_by("asked_at", "pk")


def make_layer(row: MapLayer) -> None:
    """Make one map and keep it, or write down why there is none."""
    layer = LAYER_OF[row.name]
    zones, references = zones_by_view(), References()
    subject = row.option or row.pair
    if subject is None:
        return
    inputs = layer_inputs(subject, layer, zones, references)
    old = row.picture
    values, failed = made_or_reason(
        lambda: _values(subject, layer, zones, references), f"map {row.name} of {subject} cannot be made"
    )
    if values is None:
        fields = {"state": LayerState.REFUSED, "refused": failed, "picture": "", "bytes": None}
    else:
        low, high = shown_range(layer, values)
        digest, size = _kept(values)
        fields = {"state": LayerState.READY, "refused": "", "picture": digest, "bytes": size, "low": low, "high": high}
    MapLayer.objects.filter(pk=row.pk).update(inputs=inputs, **fields)
    if old and old != fields["picture"]:
        drop_unused({old})


def _values(subject: Option | Pair, layer: Layer, zones: ZonesByView, references: References) -> Floats:
    if isinstance(subject, Pair):
        within = zones_to_measure(subject.control.setup, zones)["whole"]
        return pair_measures(subject, within).layer(layer.name.removesuffix("_pair"))
    within = zones_to_measure(subject.setup, zones)["whole"]
    return render_measures(subject, counted_runs(subject), within, references.of(subject.setup)).layer(layer.name)


def _kept(values: Floats) -> tuple[str, int]:
    """Store a map as a half-float EXR of one channel."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "map.exr"
        write_exr(path, np.clip(values, -HALF_MOST, HALF_MOST))
        return keep_file(path, PICTURE), path.stat().st_size
