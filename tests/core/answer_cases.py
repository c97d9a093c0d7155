"""Studies as plain figures, one for each outcome of each question: what the answers' tests and docs/words.md read."""

from __future__ import annotations

from dataclasses import replace

from matchedpair.answers import (
    MoveFact,
    NearFact,
    PassFact,
    SearchFact,
    SequenceFact,
    UseFact,
    answer_of,
    use_answer,
)
from matchedpair.choose import Failure
from matchedpair.measures.difference import REACHES
from matchedpair.measures.figure import Figure

from tests.core.answer_levels import LEVEL_CASES
from tests.core.answer_parts import (
    cells,
    falls,
    level,
    option,
    pair,
    ratio,
    readings,
    seconds,
    study,
    zone,
)


def feature(noise, time, *, question="feature", **more):
    """One change against its control."""
    sides = [
        option(1, "Alder, 48 samples"),
        option(2, "light picking estimate", levels=(level("light_picking", "estimate"),)),
    ]
    return study(question, sides, [pair(2, noise=noise, time=time, **more)], "Is picking lights worth its time?")


def against_reference(facts, *errors, noise=0.7, engine=""):
    """The same, each option with its visible error against a reference."""
    rows = zip(facts.options, errors, strict=True)
    return replace(facts, reference_engine=engine, options=tuple(
        replace(each, visible_error=error, visible_mean=noise, judged=True) for each, error in rows
    ))  # fmt: skip


def unchanged(time):
    """A change whose pictures are the control's to the last bit."""
    return feature(ratio(1.0, 0.02), time, identical=True, cells=(), found=None, smallest=None)


def smoothed(error, noise, *, time, sharpness=0.3):
    """A change that makes the picture softer, with visible error and noise against a control's 2 ΔE of noise alone."""
    sides = [
        option(1, "Alder, 48 samples", visible_error=2.0, visible_mean=2.0),
        option(2, "smoothing on", levels=(level("smoothing", True),), visible_error=error, visible_mean=noise,
               time=20.0 * time.value if time else None, convergence=falls(error, noise)),
    ]  # fmt: skip
    found = pair(2, subject="smoothing on", time=time, visible=ratio(noise / 2.0, 0.02), sharpness=sharpness,
                 denoised=sharpness is None)  # fmt: skip
    return study("feature", sides, [found], "Is smoothing worth its time?")


def ladder(visible, worst=None, *, top_seconds=0.4):
    """Visible noise by samples."""
    rows = [
        option(
            number + 1, f"{samples} samples", time=top_seconds * samples, quality=float(samples),
            levels=(level("samples", samples, changed=number > 0),),
            visible_noise=Figure(seen, "ΔE", (seen * 0.98, seen * 1.02), "twin", 1),
            visible_worst=(worst or {}).get(samples, 1.6 * seen),
        )
        for number, (samples, seen) in enumerate(visible.items())
    ]  # fmt: skip
    return study("samples", rows, [pair(row.key, noise=ratio(0.5)) for row in rows[1:]], "How many samples are enough?")


def thresholds(visible, reached=None):
    """Visible noise by noise threshold, less of which buys less noise."""
    rows = [
        option(
            number + 1, f"noise threshold {value:g}", time=0.02 / value**2, quality=value, knob="noise threshold",
            levels=(level("noise_threshold", value, changed=number > 0),), goes_down=True,
            reached=(reached or {}).get(value), visible_worst=1.6 * seen,
            visible_noise=Figure(seen, "ΔE", (seen * 0.98, seen * 1.02), "twin", 1),
        )
        for number, (value, seen) in enumerate(visible.items())
    ]  # fmt: skip
    return study("samples", rows, [pair(row.key, noise=ratio(0.5)) for row in rows[1:]], "How many samples are enough?")


def engines(*, references=True, places=("Marble stall",), slow=1.0):
    """Alder against Tansy, Sorrel and Sedge; the last two places and how they fail are told apart by their errors."""
    rows, pairs, key = [], [], 0
    for place in places:
        first = key + 1
        for name, engine, error, noise, time, more in (
            ("Alder, 64 samples", "Alder", 2.0, 1.9, 30.0, {}),
            ("Sorrel", "Sorrel", 1.6, 1.5, 14.0 * slow, {}),
            ("Tansy, 64 gather rays", "Tansy", 2.4, 0.8, 12.0, {"patches": 3.1, "lasting_patches": True}),
            ("Sedge", "Sedge", 6.1, 0.1, 3.0,
             {"stops": Figure(-0.9, "stops", (-0.92, -0.88), "reference", 1), "lacks": ("light focused by glass",)}),
        ):  # fmt: skip
            key += 1
            judged = {"visible_error": error, "convergence": falls(error, noise)} if references else {}
            told = judged | {"visible_mean": noise}
            changed = () if key == first else (level("engine", name),)
            rows.append(option(key, name, control=first, place=place, time=time, engine=engine, quality=64.0,
                               levels=changed, **told, **more))  # fmt: skip
            if key != first:
                pairs.append(
                    pair(key, control=first, noise=ratio(0.8), time=ratio(0.5), visible=ratio(0.9), subject=name)
                )
    return study("engine", rows, pairs, "Which engine for this scene?")


def fast_and_far():
    """An engine that is quick and as yet far from the control's error."""
    facts = engines()
    quick = replace(facts.options[1], visible_error=5.0, visible_mean=4.9, convergence=falls(5.0, 4.9),
                    seconds=seconds(1.0), knob="samples", quality=16.0)  # fmt: skip
    return replace(facts, options=(facts.options[0], quick), pairs=facts.pairs[:1])


def timeless(facts, **errors):
    """The same as if nobody knew how long they took; some closer to the reference, or farther off."""
    return replace(facts, options=tuple(
        replace(each, seconds=None, visible_error=errors.get(each.engine.lower(), each.visible_error))
        for each in facts.options
    ), pairs=tuple(replace(each, time=None) for each in facts.pairs))  # fmt: skip


def judged(facts, problem=""):
    """The same with a reference that is not measured against yet, or cannot be."""
    options = tuple(replace(each, judged=True) for each in facts.options)
    return replace(facts, options=options, reference_problem=problem)


def one_seed():
    """Nobody can tell noise from what lasts."""
    alder, sorrel = (
        replace(each, seeds=1, visible_mean=None, convergence=None) for each in engines(slow=3.2).options[:2]
    )
    return replace(engines(), options=(alder, sorrel), pairs=())


def able(facts):
    """The same of engines that can be rendered here with more samples."""
    return replace(facts, options=tuple(replace(each, refines=each.engine != "Sedge") for each in facts.options))


def with_long_one(facts):
    """The same with a render that has far more samples than all others."""
    long = option(9, "8192 samples", quality=8192.0, time=3600.0, levels=(level("samples", 8192),), seeds=1)
    return replace(facts, options=(*facts.options, long))


def combination(first, second, both, *, half=0.03):
    names = ("light picking estimate", "clamp on indirect light 2")
    subjects = ("light_picking", "indirect_clamp")
    changed = [level(subjects[0], "estimate"), level(subjects[1], 2.0)]
    rows = [
        option(1, "Alder, 48 samples"), option(2, names[0], levels=(changed[0],)),
        option(3, names[1], levels=(changed[1],)), option(4, ", ".join(names), levels=tuple(changed)),
    ]  # fmt: skip
    pairs = [
        pair(key, noise=ratio(value, half), time=ratio(1.02, 0.06, method="wall"), subject=rows[key - 1].name)
        for key, value in zip((2, 3, 4), (first, second, both), strict=True)
    ]
    return study("combination", rows, pairs, "Do these help each other?")


def versions(noise, time, **more):
    rows = [option(1, "Alder 1"), option(2, "Alder 2", levels=(level("version", "2"),))]
    return study(
        "version", rows, [pair(2, noise=noise, time=time, subject="version 2", **more)], "Did it change anything?"
    )


def matching(on, noise, time, visible=None):
    rows = [option(1, "Alder, 32 samples", quality=32.0), option(2, "light picking estimate", quality=29.0)]
    return study("own", rows, [pair(2, noise=noise, time=time, visible=visible, matched_on=on)], "Matched")


def own_and_denoised(*costs):
    """The same, and one that is denoised, whose noise does not compare."""
    facts = own(*costs)
    smooth = option(99, "denoise on", levels=(level("denoise", True),))
    found = pair(99, visible=ratio(0.5), time=ratio(1.2, 0.03, method="wall"), subject="denoise on", denoised=True)
    return replace(facts, options=(*facts.options, smooth), pairs=(*facts.pairs, found))


def own(*costs):
    """Several trials by their time ratios, of the same noise."""
    rows = [option(1, "Alder, 48 samples")]
    pairs = []
    for number, cost in enumerate(costs):
        name = f"filter width {number + 2}"
        rows.append(option(number + 2, name, levels=(level("filter_width", f"{number + 2}"),)))
        pairs.append(pair(number + 2, noise=ratio(1.0, 0.01), time=ratio(cost, 0.03, method="wall"), subject=name))
    return study("own", rows, pairs, "A question of one's own")


def not_run():
    facts = feature(None, None)
    return replace(facts, options=tuple(replace(each, seeds=0, seconds=None) for each in facts.options), runs_done=0,
                   runs_planned=4)  # fmt: skip


def running():
    facts = not_run()
    return replace(facts, options=tuple(replace(each, open=True) for each in facts.options), runs_done=1)


def sequences(*rows, frames=16):
    """Sequences by title, calm and half-width of its interval, with more of each."""
    found = [
        SequenceFact(number, title, frames, calm=(value, value / (1 + half), value * (1 + half)), **more)
        for number, (title, value, half, more) in enumerate(rows, start=1)
    ]
    return replace(study("own", [option(1, "Alder")], []), sequences=tuple(found))


def figure(value, half=0.05, unit="ΔE"):
    return Figure(value, unit, (value * (1 - half), value * (1 + half)), "reference", 1)


def sizes(errors, details=(0.93, 0.61), times=(20.0, 20.4), noises=(2.3, 1.1), half=0.05):
    """A large picture with few samples against a quarter of its size with four times as many."""
    shapes = (((960, 540), 16.0), ((480, 270), 64.0))
    rows = [
        option(
            number, f"size {size[0]} × {size[1]}", time=times[number - 1], size=size, quality=samples,
            levels=(level("size", f"{size[0]}x{size[1]}", changed=number > 1),),
            apparent_error=None if errors is None else figure(errors[number - 1], half),
            apparent_detail=None if errors is None else figure(details[number - 1], unit=""),
            visible_noise=figure(noises[number - 1]),
        )
        for number, (size, samples) in enumerate(shapes, start=1)
    ]  # fmt: skip
    refused = {"look": "the pictures differ in size"}
    return study("pixels", rows, [pair(2, time=ratio(1.02), refused=refused)], "More pixels or more samples?")


def passes(*rows):
    """Engines with the pass that each writes: name, seconds, noise of the pass, and how far from the control's."""
    found = [option(1, "Alder, 16 samples", time=30.0, passed=PassFact("occlusion", figure(0.8)))]
    for number, (name, time, noise, apart, laid_over) in enumerate(rows, start=2):
        own = PassFact("occlusion", figure(noise), figure(apart), figure(laid_over))
        found.append(option(number, name, engine=name, time=time, passed=own, levels=(level("engine", name),)))
    return study(
        "pass", found, [pair(each.key, subject=each.name) for each in found[1:]], "Which engine for this pass?"
    )


def lights(*distances, half=0.03):
    """Set-ups of light by their distance from the photograph, the nearest in most things first."""
    names = ("Dusk sky with lamp", "Lanterns only", "Dusk sky only")
    rows = []
    for number, (name, distance) in enumerate(zip(names, distances, strict=False), start=1):
        near = NearFact(
            "whole", figure(distance, half), figure(0.5 + abs(number - 2)), figure(0.1 * number, unit="stops"),
            figure(0.05 * number, unit="stops"), figure(-0.2 * number, unit="stops"),
            figure(0.9 - 0.2 * number, unit=""),
        )  # fmt: skip
        rows.append(option(number, name, levels=(level("light", name, changed=number > 1),), near=(near,)))
    facts = study("light", rows, [pair(row.key, subject=row.name) for row in rows[1:]], "Which light comes nearest?")
    return replace(facts, left_out=("Floor",), has_photograph=True)


def clipped(share):
    """The same, of a photograph of which so many percent are clipped."""
    facts = lights(2.1, 3.4, 4.0)
    rows = [(each, replace(each.near[0], clipped=figure(share, unit="%"))) for each in facts.options]
    return replace(facts, options=tuple(replace(each, near=(near,)) for each, near in rows))


def no_photograph():
    facts = lights(2.1, 3.4)
    return replace(facts, has_photograph=False, options=tuple(replace(each, near=()) for each in facts.options))


def search(**more):
    """A search that lowered four of six settings."""
    given = {
        "time": ratio(0.61, 0.03, method="wall"), "change": "0.012 stops brighter overall", "threshold_share": 0.6,
        "seen": 0.5, "pair": 102, "options": (1, 2), "result": "Bounces 4 instead of 8, glass bounces 8 instead of 64",
    } | more  # fmt: skip
    rows = [option(1, "Alder, 48 samples"), option(2, "bounces 4", levels=(level("bounces", 4),))]
    return replace(study("own", rows, [pair(2)], "How little will do?"), searches=(SearchFact("done", 6, 4, **given),))


def maps(**more):
    """A scene as it is against its reduced copies."""
    rows = [
        option(1, "Alder, 32 samples", structures=59.2e6),
        option(2, "maps halved", structures=37.1e6, levels=(level("light", "reduced-1a2b", "maps halved"),)),
    ]
    given = {"noise": ratio(1.0, 0.02), "time": ratio(0.99, 0.03, method="wall"), "smallest": 0.3} | more
    return study("own", rows, [pair(2, **given)], "What do reduced maps save?")


def use(**more):
    given = {
        "option": 7, "name": "Tansy, 64 gather rays", "options": 6, "seconds": 3.0, "control_seconds": 5.4,
        "frames": 1440, "machines": 2, "hours": 0.6, "hours_before": 1.083,
        "moved": (MoveFact("the limit on noise, worst zone", "20 %", "16 %", "Alder, 48 samples"),),
        "fails": (Failure("Mist lane", "whole", 12, "darker", -0.46, 0.05),),
    } | more  # fmt: skip
    return UseFact("Animation", **given)


USES = {
    "A use with a choice": use(),
    "A use whose choice lies at a limit": use(doubts=("noise, worst zone",), moved=(), fails=()),
    "A use that the control serves best": use(
        control=True, name="Alder, 32 samples", moved=(), fails=(), ties=("Tansy",)
    ),
    "A use that nothing serves": UseFact("Still", options=6, without="visible error leaves out 6 of 6"),
    "A use without a zone": use(moved=(), fails=(), without="no zone is drawn, so the worst zone is not limited"),
    "A use before anything is measured": UseFact("Preview"),
}

CASES = {
    "A feature that pays": feature(ratio(0.80, 0.03), ratio(1.27, 0.05, method="wall")),
    "A feature that pays a lot": feature(ratio(0.55, 0.03), ratio(1.02, 0.05, method="wall"), visible=ratio(0.6)),
    "A feature that does not pay": feature(ratio(0.97, 0.02), ratio(1.4, 0.05, method="wall")),
    "A feature that is not sure yet": feature(ratio(0.98, 0.03), ratio(1.01, 0.08, method="wall")),
    "A feature that seeds cannot settle": feature(ratio(0.995, 0.2), ratio(1.0, 0.4, method="wall")),
    "A feature that pays in most of the picture": feature(
        ratio(0.63, 0.02, noisier=0.32, cleaner=0.6), ratio(1.1, 0.05, method="wall")
    ),
    "A feature that changes no picture": unchanged(ratio(1.01, 0.03, method="wall")),
    "A feature that changes no picture, and takes longer": unchanged(ratio(1.3, 0.05, method="wall")),
    "A feature that changes no picture, and saves time": unchanged(ratio(0.7, 0.05, method="wall")),
    "A feature that changes no picture, its time not sure yet": unchanged(ratio(0.97, 0.08, method="wall")),
    "A feature that changes no picture, without times": unchanged(None),
    "A feature that turns on rare specks": feature(readings(0.8, 0.03, other=1.1), ratio(1.15, 0.05, method="wall")),
    "A feature that changes the look, as the reference has it": against_reference(
        feature(ratio(1.0, 0.02), ratio(1.7, 0.05, method="wall"), found=True, zones=(zone("Shelf", stops=0.3),)),
        1.04, 0.7,
    ),
    "A feature that changes the look": feature(
        ratio(1.0, 0.02), ratio(1.04, 0.02, method="wall"), found=True,
        zones=(zone("Ring", stops=0.9), zone("Deep shelf", noise=ratio(1.2, 0.03))), cells=cells({50: 80.0}),
    ),
    "Noisier in a zone, and coarser to the eye": feature(
        ratio(0.80, 0.03), ratio(1.0, 0.03, method="wall"), visible=ratio(1.25, 0.03),
        zones=(zone("Awning", noise=ratio(1.08, 0.02)),), caveats=("times are from a busy machine",),
    ),
    "A feature that makes it softer, without a reference": feature(
        None, ratio(2.0, 0.1, method="wall"), visible=ratio(0.64), sharpness=0.17
    ),
    "A feature that makes it sharper, without a reference or times": feature(
        None, None, visible=ratio(1.2), sharpness=1.4
    ),
    "A feature that denoises, without a reference": feature(
        None, ratio(1.1, 0.02, method="wall"), visible=ratio(0.5), denoised=True
    ),
    "Denoised and worth it": smoothed(1.05, 1.0, time=ratio(1.1, 0.05, method="wall"), sharpness=None),
    "Softer and worth it": smoothed(1.05, 1.0, time=ratio(1.1, 0.05, method="wall")),
    "Softer and not worth it": smoothed(1.9, 1.8, time=ratio(1.6, 0.05, method="wall")),
    "Softer and not sure yet": smoothed(1.55, 1.45, time=ratio(1.6, 0.2, method="wall")),
    "Softer and judged, but not sure yet without a time": smoothed(1.05, 1.0, time=None),
    "Softer and never as close": smoothed(2.4, 0.8, time=ratio(0.9, 0.05, method="wall")),
    "A version with another pixel filter": feature(
        None, ratio(0.9, 0.02, method="wall"), visible=ratio(0.8), sharpness=0.62, question="version", found=False
    ),
    "Engines with a reference": engines(),
    "Engines with a short reference": replace(engines(slow=9.0), reference_engine="Alder", reference_quality=256.0),
    "Engines over two scenes": engines(places=("Marble stall", "Mist lane")),
    "Engines of which none comes sooner": engines(slow=4.0),
    "Engines of which one is not sure yet": engines(slow=3.2),
    "Engines of which one is too far off and not sure yet": fast_and_far(),
    "Engines with one seed each, so not sure yet": one_seed(),
    "Engines whose times nobody knows": timeless(engines()),
    "Engines whose times nobody knows, one closest": timeless(engines(), sorrel=0.6),
    "A feature of which nobody knows how long it takes": timeless(
        feature(ratio(0.80, 0.03), ratio(1.27, 0.05, method="wall"))
    ),
    "One's own of which nobody knows how long they take": timeless(own(0.6, 1.3)),
    "A pass of which nobody knows how long it takes": timeless(
        passes(("Tansy", 9.0, 0.84, 0.4, 0.3), ("Sedge", 3.0, 0.1, 6.0, 5.2))
    ),
    "A pass that only one makes, and nobody knows how long it takes": timeless(passes(("Sedge", 3.0, 0.1, 6.0, 5.2))),
    "A pass of which nobody knows anything": timeless(passes()),
    "Engines without a reference or times": timeless(engines(references=False)),
    "Engines without a reference": engines(references=False),
    "Engines without a reference that can render one": able(engines(references=False)),
    "Engines without a reference while one is rendered": replace(
        able(engines(references=False)), reference_to_come=True
    ),
    "Engines as without a reference while it is measured": judged(engines(references=False)),
    "Engines as without a reference since it lies beside them": judged(
        able(engines(references=False)), "against the reference, the pictures are shifted by 1.5 pixels"
    ),
    "Engines without a reference, one of which is rendered long enough": with_long_one(engines(references=False)),
    "Samples that are enough": ladder({4: 3.4, 16: 1.72, 64: 0.86, 128: 0.62}),
    "Samples that do not suffice": ladder({4: 16.0, 16: 8.1, 64: 4.0, 128: 2.8}),
    "One number of samples": ladder({16: 2.0}),
    "One number of samples, not sure yet whether fewer do": ladder({64: 0.8}),
    "A threshold that is enough": thresholds({0.4: 4.0, 0.2: 2.0, 0.1: 1.0, 0.05: 0.5}),
    "A threshold still too high": thresholds({0.4: 12.0, 0.2: 6.0, 0.1: 3.0}),
    "Samples with noise that stays": ladder({4: 3.0, 16: 2.1, 64: 1.8, 128: 1.75}),
    "Samples that are too many already": ladder({16: 0.8, 64: 0.4, 128: 0.3}),
    **LEVEL_CASES,
    "Two changes that work apart": combination(0.70, 0.61, 0.427),
    "Two changes that help each other": combination(0.80, 0.80, 0.50),
    "Two changes in each other's way": combination(0.70, 0.61, 0.60),
    "Two changes that are not sure yet": combination(0.9, 0.9, 0.8, half=0.4),
    "A version that is faster": versions(ratio(0.96, 0.01), ratio(0.98, 0.02, method="wall")),
    "A version that changed nothing": versions(ratio(1.0, 0.01), ratio(1.0, 0.02, method="wall")),
    "A version that looks different": versions(
        ratio(1.0, 0.02), ratio(1.0, 0.02, method="wall"), found=True, zones=(zone("Tray", stops=0.3),),
    ),
    "A version that is not sure yet": versions(ratio(1.0, 0.05), ratio(0.95, 0.15, method="wall")),
    "A version whose look is not sure yet": versions(
        ratio(1.0, 0.05), ratio(0.8, 0.02, method="wall"), found=None, smallest=None, cells=(),
        refused={"difference": REACHES},
    ),
    "A version that is the same to the bit": versions(None, ratio(1.0, 0.02, method="wall"), identical=True),
    "A pair matched on noise": matching("noise", ratio(1.01, 0.02), ratio(1.0, 0.03, method="wall")),
    "A pair matched on noise that is noisier here and cleaner there": matching(
        "noise", ratio(1.01, 0.02, noisier=0.3, cleaner=0.25), ratio(1.0, 0.03, method="wall")
    ),
    "A pair matched in the figure, not to the eye": matching(
        "noise", ratio(1.01, 0.02), ratio(0.5, 0.03), ratio(2.1, 0.04)
    ),
    "A question of one's own, one of which is denoised": own_and_denoised(0.7, 1.2),
    "One change and one that denoises": own_and_denoised(0.7),
    "One's own, with a winner": own(0.6, 1.3),
    "One's own, without a winner": own(1.2, 1.3),
    "One's own, not sure yet": own(0.97, 1.3),
    "Sequences": sequences(
        ("Alder", 5.0, 0.12, {}), ("engine Tansy", 3.1, 0.15, {"boiling_share": 0.6}),
        ("engine Sedge", 6.0, 0.1, {"lag": 3.2}),
    ),
    "Sequences as calm as each other, of which one is late": sequences(
        ("Sedge", 7.2, 0.1, {}), ("history 4", 7.5, 0.1, {"lag": 5.1, "boiling_share": 0.7})
    ),
    "Sequences that are not sure yet": sequences(("Alder", 24.6, 0.1, {}), ("engine Tansy", 24.5, 0.1, {})),
    "Sequences under moving light that are not sure yet": sequences(
        ("Alder", 50.0, 0.1, {"light_changes": True}), ("engine Tansy", 56.0, 0.1, {"light_changes": True})
    ),
    "Sequences in which things move": sequences(
        ("Alder", 24.0, 0.1, {"moves": True, "boiling_share": 0.5}), ("engine Tansy", 16.0, 0.1, {"moves": True})
    ),
    "Two frames that are not sure yet": sequences(("Alder", 9.0, 0.1, {}), ("engine Tansy", 2.5, 0.1, {}), frames=2),
    "More pixels": sizes((1.9, 2.6)),
    "More samples": sizes((2.9, 1.7), times=(20.0, 14.0)),
    "Sizes that look alike": sizes((0.8, 0.85), (0.9, 0.88)),
    "Sizes that look alike but for their detail": sizes((0.80, 0.78)),
    "Sizes that come as near": sizes((2.0, 2.02), (0.7, 0.7)),
    "Sizes that are not sure yet": sizes((2.0, 2.02), (0.7, 0.7), half=0.3),
    "Sizes without a reference": sizes(None),
    "A pass that is the same for less": passes(("Tansy", 9.0, 0.84, 0.4, 0.3), ("Sedge", 3.0, 0.1, 6.0, 5.2)),
    "A pass that is the same for more": passes(("Tansy", 40.0, 1.4, 0.4, 0.3), ("Sedge", 3.0, 0.1, 6.0, 5.2)),
    "A pass that no other engine makes": passes(("Tansy", 9.0, 0.8, 8.0, 6.9), ("Sedge", 3.0, 0.1, 6.0, 5.2)),
    "A pass that is not sure yet": passes(("Tansy", 28.0, 0.8, 0.4, 0.3)),
    "Light nearest to a photograph": lights(2.1, 3.4, 4.0),
    "Light that is not sure yet": lights(2.1, 2.15, half=0.05),
    "Light nearest to a photograph that is clipped": clipped(1.9),
    "Light without a reference": no_photograph(),
    "A search that saves": search(),
    "A search whose result shows": search(threshold_share=1.8, change="0.04 stops brighter overall"),
    "A search in smaller renders whose result shows": search(
        threshold_share=2.5, change="1.1 stops darker in a small part of the middle right", scale=0.5
    ),
    "A search whose thresholds are wide": search(
        threshold_share=0.99, change="0.15 stops darker in frame 11", plain="it is 0.15 stops darker overall",
    ),
    "A search that is not sure yet, its pictures are not comparable": search(
        threshold_share=99.0, comparable=False, change="cannot be compared: the control is black"
    ),
    "A search that is not sure yet": search(seen=2.5, change=""),
    "A search that found nothing lower": replace(search(), searches=(SearchFact("done", 6, 0),)),
    "A search that leaves settings for their noise": search(unsure=2),
    "A search that noise hides all from": replace(search(), searches=(SearchFact("done", 6, 0, unsure=4),)),
    "A search under way": replace(search(), searches=(SearchFact("searching", 6, 1, change="bounces at 4 of 8"),)),
    "A search at full size": replace(search(), searches=(SearchFact("confirming", 6, 1),)),
    "Reduced maps": maps(),
    "Reduced maps that show": maps(found=True, zones=(zone("Plate", stops=0.01, colour=1.2),)),
    "Reduced maps that change nothing at all": maps(identical=True, smallest=None),
    "Not run yet": not_run(),
    "Running": running(),
}  # fmt: skip

ANSWERS = {title: answer_of(facts) for title, facts in CASES.items()} | {
    title: use_answer(fact) for title, fact in USES.items()
}  # fmt: skip
