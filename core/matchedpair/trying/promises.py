"""What an engine's definition promises, whether it holds, what it costs where it does not, and what would mend it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

State = Literal["holds", "broken", "not known"]


@dataclass(frozen=True)
class Promise:
    """One thing that was tried.

    Parameters
    ----------
    name, title : str
    state : str
        ``holds``, ``broken``, or ``not known`` where it could not be tried.
    found : str
        What was seen.
    cost : str
        What is lost in the product where it does not hold.
    mend : str
        Lines of TOML, or a sentence, that would mend it; empty where nothing in the definition would.
    """

    name: str
    title: str
    state: State
    found: str
    cost: str = ""
    mend: str = ""


def promises_in_words(promises: Sequence[Promise]) -> str:
    """All of them, one a line, with cost and mending below those that do not hold, and a sentence at the end."""
    marks = {"holds": "holds", "broken": "DOES NOT HOLD", "not known": "not known"}
    lines = []
    for each in promises:
        lines.append(f"{marks[each.state]:>13}  {each.title}: {each.found}")
        if each.state != "holds":
            lines += [f"{'':15}{text}" for text in (each.cost, *each.mend.splitlines()) if text]
    return "\n".join([*lines, "", summary(promises)])


def summary(promises: Sequence[Promise]) -> str:
    """One sentence."""
    broken = [each.title[:1].lower() + each.title[1:] for each in promises if each.state == "broken"]
    if not broken:
        unknown = sum(each.state == "not known" for each in promises)
        rest = f"; {unknown} could not be tried" if unknown else ""
        return f"All that was tried holds{rest}."
    return f"{len(broken)} of {len(promises)} {'does' if len(broken) == 1 else 'do'} not hold: {', '.join(broken)}."
