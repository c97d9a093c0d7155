"""What to check next when a render came out wrong, by what was found on it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

BY_CODE = {
    "black": "Look at the exposure, at the view, and at whether the variant hides every light.",
    "flat": "Look at whether the view points at the scene, and at whether the engine read the scene at all.",
    "not_finite": "Look for a setting at its end of range; a clamp on bright paths often helps.",
    "size": "Look at how the engine's definition passes width, height and crop.",
    "unreadable": "Look at the log, and at the room left on the disk.",
    "negative": "A denoiser or a pixel filter with negative lobes does this; small counts do no harm.",
    "encoded": "Have the engine write linear light, or state the view transform.",
}
NOTHING_CHANGED = "The setting may need another one switched on, or the scene may hold nothing that it acts on."


def steps_for(codes: Iterable[str], *, switched_off: Sequence[str] = (), reason: str = "") -> list[str]:
    """Advice for the findings with these codes.

    Parameters
    ----------
    switched_off : sequence of str
        Titles of settings that an effect under test needs and that are off.
    reason : str
        Why the run failed, when it did without a picture to look at.
    """
    steps = [BY_CODE[code] for code in codes if code in BY_CODE]
    if "identical" in codes:
        second = f"Switch on {' and '.join(switched_off)} as well: the effect needs it." if switched_off else ""
        steps.append(second or NOTHING_CHANGED)
    if "time limit" in reason:
        steps.append("Raise the time limit of the study, or render smaller.")
    elif "signal" in reason:
        steps.append("It was ended from outside or crashed: look at the log and at the memory, then run it again.")
    elif "exit code" in reason:
        steps.append("Look at the end of its log.")
    return list(dict.fromkeys(steps))
