"""Studies of the levels of one setting as plain figures."""

from dataclasses import replace

from tests.core.answer_parts import cells, level, option, pair, ratio, study


def bounces(changes, *, smallest=0.3, sharpness=None):
    """Levels of one setting against the control, which has the most; `changes` by level, by cell."""
    values = [*changes, 16]
    rows, pairs = [], []
    for number, value in enumerate([16, *changes]):
        own = option(number + 1, f"bounces {value}", time=10.0 + value, quality=48.0,
                     levels=(level("bounces", value, changed=number > 0),))  # fmt: skip
        rows.append(own)
        if number:
            told = {"noise": None if sharpness else ratio(1.0), "sharpness": (sharpness or {}).get(value)}
            pairs.append(pair(own.key, cells=cells(changes[value], smallest), subject=f"bounces {value}", **told))
    assert len(rows) == len(values)
    return study("bounces", rows, pairs, "How many bounces does this scene need?")


def spacing(noises, patches, *, changes=None, smallest=0.3, times=None, errors=None):
    """Levels of a spacing that is bad at both ends: `noises` over the control's by level, 1 for the control itself."""
    control = next(value for value, noise in noises.items() if noise == 1.0)
    keys = {value: number for number, value in enumerate([control, *(each for each in noises if each != control)], 1)}
    rows = [
        option(key, f"gather spacing {value}", patches=patches.get(value), time=(times or {}).get(value, 20.0),
               visible_error=(errors or {}).get(value), judged=bool(errors),
               levels=(level("gather_spacing", value, changed=value != control),))
        for value, key in keys.items()
    ]  # fmt: skip
    pairs = [
        pair(key, noise=ratio(noises[value]), cells=cells((changes or {}).get(value), smallest),
             subject=f"gather spacing {value}")
        for value, key in keys.items() if value != control
    ]  # fmt: skip
    return study("bounces", rows, pairs, "How much gather spacing does this scene need?")


def clamp(changes, *, smallest=0.3):
    """Levels of a clamp against the control, the highest; 0 switches it off."""
    return spacing(dict.fromkeys(changes, 1.01) | {16: 1.0}, {}, changes=changes, smallest=smallest)


def doing_nothing(*levels):
    """Bounces of which these are the control's pictures to the last bit."""
    facts = bounces({2: {50: -30.0}, 4: {50: -8.0}, 8: {50: -0.2}})
    keys = {option.key for option in facts.options if option.levels[0].value in levels}
    pairs = [
        replace(each, identical=True, cells=(), found=None, smallest=None) if each.trial in keys else each
        for each in facts.pairs
    ]
    return replace(facts, pairs=tuple(pairs))


LEVEL_CASES = {
    "Bounces of which the last do nothing": doing_nothing(8),
    "A clamp of which 0 is off": clamp({0: {50: 0.4}, 1: {50: -40.0}, 4: {50: -6.0}}),
    "A clamp of which none is off enough": clamp({0: {50: 9.0}, 1: {50: -40.0}, 4: {50: -20.0}}),
    "Bounces": bounces({2: {50: -30.0}, 4: {50: -8.0}, 8: {50: -0.2}}),
    "Bounces that noise hides": bounces({2: {50: -30.0}, 4: {50: -2.0}, 8: {}}, smallest=4.0),
    "Levels of which some are softer": bounces({2: {}, 4: {}, 8: {}}, sharpness={2: 0.4, 4: 0.83}),
    "Levels that are all softer than the highest": bounces({4: {}, 8: {}}, sharpness={4: 0.4, 8: 0.7}),
    "A setting that is bad at both ends": spacing(
        {0.05: 3.3, 0.1: 1.8, 0.2: 1.0, 0.4: 0.78, 0.8: 0.79, 1.6: 0.94}, {0.4: 1.1, 0.8: 4.8, 1.6: 8.6}
    ),
    "A setting that has patches at both ends": spacing({2: 1.1, 4: 1.0, 8: 1.0}, {2: 4.0, 4: 4.2, 8: 6.6}),
    "A setting that is bad at both ends, not sure yet": spacing(
        {0.05: 3.3, 0.1: 1.8, 0.2: 1.0, 0.4: 0.78, 0.8: 0.79}, {0.8: 4.8}, smallest=3.0
    ),
    "A setting whose low levels have patches": spacing({8: 1.1, 16: 1.05, 32: 1.0, 64: 1.0}, {8: 9.0, 16: 4.0}),
    "A setting whose low levels take more time": spacing(
        {2: 1.01, 4: 1.0, 8: 1.0, 16: 0.99},
        {},
        times={2: 60.0, 4: 30.0, 8: 20.0, 16: 15.0},
        changes={2: {}, 8: {50: 0.3}, 16: {50: 12.0}},
    ),
    "A setting whose low levels take more time, of which none is enough": spacing(
        {2: 1.01, 4: 1.0, 8: 0.99}, {}, times={2: 60.0, 4: 30.0, 8: 20.0}, changes={2: {50: -9.0}, 8: {50: 9.0}}
    ),
    "A setting of which without a reference nobody knows the right end": spacing(
        {1: 1.01, 2: 1.0, 4: 0.99}, {}, changes={1: {50: 8.0}, 4: {50: 9.0}}
    ),
    "A setting that the reference judges": spacing(
        {1: 1.01, 2: 1.0, 4: 0.99}, {}, changes={1: {50: 8.0}, 4: {50: 9.0}}, errors={1: 3.1, 2: 1.9, 4: 4.2}
    ),
    "Bounces of which none is enough": bounces({2: {50: -30.0}, 4: {50: -20.0}, 8: {50: -9.0}}),
}
