"""Reports in plain text, for a terminal."""

from __future__ import annotations

from typing import Any

from matchedpair.engines import EngineDefinition
from matchedpair.pictures.panorama import PanoramaFigures


def report_as_text(report: dict[str, Any]) -> str:
    """The report of `measure_files`, a line for each finding, figure and refusal."""
    lines = [f"{check['severity']}: {check['message']}" for check in report["checks"]]
    for name, zone in report["zones"].items():
        lines.append(f"{name}:")
        if zone["noise"]:
            lines.append(f"  noise {_noise(zone['noise'])}")
        lines += [f"  {_words(row['measure'])}: not measured, {row['reason']}" for row in zone["refused"]]
    return "\n".join(lines)


def engine_as_text(definition: EngineDefinition) -> str:
    """An engine's name and its settings, one a line."""
    lines = [f"{definition.title} ({definition.name}): the definition is good"]
    for setting in definition.settings:
        unit = f" {setting.unit}" if setting.unit else ""
        lines.append(f"  {setting.name}: {setting.kind}, {setting.range_in_words()}{unit}, default {setting.default}")
    return "\n".join(lines)


def panorama_as_text(figures: PanoramaFigures) -> str:
    """A panorama's figures, one a line."""
    more = "; at its highest value it is cut off, so the true range is larger" if figures.clipped else ""
    colour = ", ".join(f"{value:.2f}" for value in figures.main_light_rgb)
    return "\n".join([
        f"brightest to darkest: {figures.brightest_to_darkest:.3g} to 1 ({figures.stops:.1f} stops){more}",
        f"main light: {figures.azimuth_degrees:.1f}° right of the middle, {figures.elevation_degrees:.1f}° above the "
        f"horizon, {figures.main_light_degrees:.1f}° wide",
        f"its colour: {colour} (red, green, blue; the brightest is 1)",
        f"its share of all light: {100 * figures.main_light_share:.3g} %",
    ])  # fmt: skip


def _noise(row: dict[str, Any]) -> str:
    spread = "no interval: the zone is too small"
    if row["interval"]:
        spread = f"{row['interval'][0]:.3g} to {row['interval'][1]:.3g}"
    share = f"{100 * row['top_share']:.2g} % of it in the noisiest 0.1 % of pixels"
    return f"{row['percent']:.3g} % ({spread}; by {row['method']}; {share})"


def _words(measure: str) -> str:
    return measure.replace("_percent", "").replace("_", " ").replace(".", ", ")
