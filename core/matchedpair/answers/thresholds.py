"""What counts as no difference, in one place; a studio that works otherwise changes it here."""

from __future__ import annotations

TIME = 0.05  # of a ratio
NOISE = 0.05
PART = 0.1  # of the picture, from which it is said that its noise goes another way
MUCH = 0.2  # of the picture, from which a typical place's noise is not said of all of it
STOPS = 0.02
COLOUR = 0.5  # ΔE00
PLAIN_STOPS = 0.1  # from here on a look is another one, and its price comes second
PLAIN_COLOUR = 2.0
SEEN = 1.0  # ΔE, of visible noise and visible error, at the study's viewing distance
GRAIN_AGAINST_PATCHES = 0.1  # by which noise and visible noise may part before it is said
PATCHES = 2.0  # percent in spread: twice that, as many patches have, is 1 ΔE on a middle grey
MORE_PATCHES = 1.5  # times the other's, from which one has clearly more of them
MEMORY = 1.25
FIREFLIES = 2.0
DETAIL = 0.05  # of the finest octave
MOST_SEEDS = 32  # more that are asked for
