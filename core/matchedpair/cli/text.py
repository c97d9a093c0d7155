"""Reports in plain text, for a terminal."""

from __future__ import annotations

import math
from typing import Any

from matchedpair.answers.phrases import IN_SPECKS
from matchedpair.engines import EngineDefinition
from matchedpair.pictures.panorama import PanoramaFigures

MOST_NAMED = 12


def report_as_text(report: dict[str, Any]) -> str:
    """The report of `measure_files`, a line for each finding, figure and refusal."""
    lines = [f"{check['severity']}: {check['message']}" for check in report["checks"]]
    for name, zone in report["zones"].items():
        lines += [f"{name}:", *_zone_lines(zone)]
    return "\n".join(lines)


def pair_as_text(report: dict[str, Any]) -> str:
    """The report of `compare_files`, a line for each finding, figure and refusal."""
    lines = [f"{check['severity']}: {check['message']}" for check in report["checks"]]
    if report["shift_pixels"] is not None:
        lines.append(f"shift {report['shift_pixels']:.2g} pixels")
    for name in ("noise_ratio", "total_noise_ratio", "visible_noise_ratio", "time_ratio"):
        if report[name]:
            tie = ", no difference" if report[name]["tie"] else ""
            where = _where(report[name])
            lines.append(
                f"{_words(name)} {report[name]['value']:.3g} ({_spread(report[name]['interval'])}{tie}){where}"
            )
    if report["difference"]:
        lines += _difference(report["difference"])
    if report["look"]:
        lines.append(f"look {_look(report['look'])}")
    if report["visible"]:
        lines.append(f"visible difference {_visible(report['visible'])}")
    lines += [f"{_words(row['measure'])}: not given, {row['reason']}" for row in report["refused"]]
    for side, zone in (report["against_reference"] or {}).items():
        lines += [f"{side}:", *_zone_lines(zone)]
    return "\n".join(lines)


def _where(ratio: dict[str, Any]) -> str:
    """In how much of the picture the trial is cleaner or noisier, where that is known and is some of it."""
    shares = {word: math.floor(ratio.get(f"{word}_in_percent", 0.0)) for word in ("cleaner", "noisier")}
    told = [f"{word} in at least {share} %" for word, share in shares.items() if share]
    return f", {' and '.join(told)} of the picture" if told else ""


def _zone_lines(zone: dict[str, Any]) -> list[str]:
    writers = {
        "noise": _noise, "fireflies": _fireflies, "error": _error, "blotches": _blotches, "detail": _detail,
        "look": _look, "visible": _visible,
    }  # fmt: skip
    titles = {"detail": "detail kept", "visible": "visible difference", "error": "error against the reference"}
    lines = [f"  {titles.get(name, name)} {write(zone[name])}" for name, write in writers.items() if zone[name]]
    return lines + [f"  {_words(row['measure'])}: not measured, {row['reason']}" for row in zone["refused"]]


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


def sequence_as_text(report: dict[str, Any]) -> str:
    """The report of `sequence_files`, a line for each finding and figure."""
    lines = [f"{check['severity']}: {check['message']}" for check in report["checks"]]
    for name, zone in report["zones"].items():
        lines.append(f"{name}:")
        if zone["flicker_percent"] is not None:
            boiling = f"boiling {zone['boiling_percent']:.3g} % ({100 * zone['boiling_share']:.2g} % of its power)"
            step = f"frame to frame {zone['frame_to_frame_percent']:.3g} %"
            lines.append(f"  flicker {zone['flicker_percent']:.3g} %, of it {boiling}; {step}")
        if zone["reference"]:
            off = zone["reference"]
            noise = "its noise taken out" if off["noise_taken_out"] else "its own noise is in it"
            lines.append(
                f"  against the reference {off['error_percent']:.3g} %, from frame to frame "
                f"{off['frame_to_frame_percent']:.3g} % ({noise})"
            )
            if off["lag"]:
                lines.append(f"  behind the reference: {_lag_words(off['lag'])}")
        response = zone["response"]
        if response:
            how = (
                "at once" if response["at_once"] else f"nine tenths of it within {response['frames_to_90']:.2g} frames"
            )
            lines.append(f"  the light changes from frame {response['frame']} on ({response['change']:+.1%}): {how}")
        lines += [f"  {_words(row['measure'])}: {row['reason']}" for row in zone["refused"]]
    return "\n".join([*lines, report["note"]])


def _lag_words(lag: dict[str, Any]) -> str:
    if lag["at_once"]:
        return f"no lag that can be told (up to {lag['frames_to_90_interval'][1]:.2g} frames for nine tenths)"
    return f"nine tenths within {lag['frames_to_90']:.2g} frames ({_spread(lag['frames_to_90_interval'])})"


def curves_as_text(report: dict[str, Any]) -> str:
    """The report of `curves_report`: what each option's curve says, and each against each at its best step."""
    lines = []
    for name, row in report["options"].items():
        if row["a"] is not None:
            law = f"noise² = {row['a']:.4g}/N + {row['floor_percent']:.3g}², t = {row['ready_seconds']:.3g} s + "
            lines += [f"{name}: {law}{row['seconds_per_unit']:.3g} s·N", *(f"  {s}" for s in report["words"][name])]
    lines += report["crossings"]
    for row in report["same_noise"]:
        at = f"the noise of {row['control']} at {row['at_quality']:g} ({row['noise_percent']:.3g} %): {row['trial']}"
        if row["speed_up"] is None:
            lines.append(f"{at} {row['note']}")
            continue
        tie = ", no difference" if row["tie"] else ""
        spread = f"({_spread(row['interval'])}{tie})"
        lines.append(f"{at} takes {row['trial_seconds']:.3g} s, {row['speed_up']:.3g} × as fast {spread}")
    return "\n".join(lines + [f"{row['option']}: {row['reason']}" for row in report["refused"]])


def _noise(row: dict[str, Any]) -> str:
    if row["method"] == "single":
        return f"about {row['percent']:.2g} % ({_spread(row['interval'])}; a rough guess from one picture)"
    parts = [_spread(row["interval"]), f"by {row['method']}"]
    parts.append(f"{100 * row['top_share']:.2g} % of it in the noisiest 0.1 % of pixels")
    if row["without_fireflies_percent"] is not None:
        parts.append(f"{row['without_fireflies_percent']:.3g} % without fireflies")
    if row["seen_percent"] is not None:
        parts.append(f"{row['seen_percent']:.2g} % of white as seen")
    return f"{row['percent']:.3g} % ({'; '.join(parts)})"


def _fireflies(row: dict[str, Any]) -> str:
    name = "bright spots, may be real glints" if row["method"] == "single" else f"by {row['method']}"
    return (
        f"{row['count']} ({row['per_megapixel']:.3g} per megapixel, {row['light_percent']:.2g} % of the light; {name})"
    )


def _error(row: dict[str, Any]) -> str:
    names = {"total": "in all", "random": "random", "systematic": "lasting", "low_frequency": "slow"}
    told = [(words, row[f"{name}_percent"], row["intervals"][name]) for name, words in names.items()]
    return ", ".join(f"{words} {value:.3g} % ({_spread(spread)})" for words, value, spread in told if value is not None)


def _blotches(row: dict[str, Any]) -> str:
    grain = f"grain {row['grain']:.2g}; by {row['method']}"
    if not row["found"]:
        return f"{'not told' if row['found'] is None else 'none'} ({grain})"
    amplitude = f"{row['amplitude_percent']:.3g} %" if row["amplitude_percent"] is not None else "not told"
    scale = f"{row['scale_pixels']:.2g} pixels" if row["scale_pixels"] is not None else "wider than can be told"
    return f"found, amplitude {amplitude}, scale {scale} ({grain})"


def _detail(row: dict[str, Any]) -> str:
    return ", ".join(
        f"{octave['pixels']:g} px {'not told' if octave['kept'] is None else format(octave['kept'], '.2f')}"
        for octave in row["octaves"]
    )


def _look(row: dict[str, Any]) -> str:
    clamped = f", clamped at {row['clamped_at']:.3g}" if row["clamped_at"] is not None else ""
    return (
        f"{row['stops']:+.3f} stops ({_spread(row['interval'], '+.3f')}), "
        f"colour {row['delta_e_after_gain']:.2f} ΔE00 after the gain ({row['delta_e']:.2f} before), "
        f"light lost {row['light_lost_percent']:.2g} %{clamped}"
    )


def _visible(row: dict[str, Any]) -> str:
    own = "" if row["own_noise_mean"] is None else f"; against its own twin {row['own_noise_mean']:.3g}"
    return (
        f"{row['mean']:.3g} ΔE on average, {row['above_1_percent']:.2g} % of the picture above 1 "
        f"(at {row['pixels_per_degree']:g} pixels per degree{own}; noise counts)"
    )


def _difference(row: dict[str, Any]) -> list[str]:
    least = f"a change of {row['smallest_seen_percent']:.2g} % in a cell would have been seen"
    if not row["found"]:
        return [f"no difference found (overall z {row['overall_z']:.2g}; {least})"]
    lines = [f"there is a difference (overall z {row['overall_z']:.2g}; {least})"]
    lines += [
        f"  row {cell['row'] + 1}, column {cell['column'] + 1}: {cell['percent']:+.2g} % (z {cell['z']:.2g})"
        f"{IN_SPECKS if cell['box'] in row['specks'] else ''}"
        for cell in row["zones"][:MOST_NAMED]
    ]
    more = len(row["zones"]) - MOST_NAMED
    lines += [f"  and {more} more"] if more > 0 else []
    for island in row["islands"][:MOST_NAMED]:
        x, y, width, height = island["box"]
        lines.append(f"  {width} × {height} pixels at {x}, {y}: {island['percent']:+.2g} %")
    return lines


def _spread(interval: list[float] | None, form: str = ".3g") -> str:
    return f"{interval[0]:{form}} to {interval[1]:{form}}" if interval else "no interval"


def _words(measure: str) -> str:
    return measure.replace("_percent", "").replace("_", " ").replace(".", ", ")
