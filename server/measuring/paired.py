"""Noise of options that are compared with one control: the control's, times the ratio in the same places.

What each place of a picture reads varies over the scene; in the same places most of that drops out, so that options
stand in the order in which their pairs do.
"""

from __future__ import annotations

from dataclasses import replace

from matchedpair.errors import RefusedError
from matchedpair.measures.figure import Figure

from server.measuring.measuring import figure_of, ratio_of
from server.measuring.models import Measure


def paired_noise(control: Measure | None, own: Measure | None) -> Figure | None:
    """An option's noise on the scale of its control's; its own where they have no places to be compared in.

    Both are rows of the noise in one zone; None where the option has no noise.
    """
    figure = figure_of(own) if own is not None else None
    if control is None or own is None or figure is None or own.option_id == control.option_id:
        return figure
    at = figure_of(control)
    try:
        ratio = ratio_of(control, own)
    except RefusedError:
        return figure
    if at is None or ratio is None:
        return figure
    low, high = ratio.ends
    return replace(figure, value=at.value * ratio.value, interval=(at.value * low, at.value * high))
