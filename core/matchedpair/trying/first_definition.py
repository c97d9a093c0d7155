"""A first engine definition, proposed from what the program says of its own options."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import PurePath

from matchedpair.engines.definition_keys import RESERVED

FLAG = re.compile(r"-{1,2}[A-Za-z][\w-]*")
# a value's name: <n>, {one,of,these}, N, WIDTHxHEIGHT, X,Y; before two spaces or the end, where the explanation begins
VALUE = re.compile(r"<[^>]+>|\{[^}]+\}|[A-Z][A-Za-z_0-9]*(?:,[A-Z][A-Z_0-9]*)*")
CHOICES = re.compile(r"\{([^}]+)\}")
DEFAULT = re.compile(r"default[:= ]+\(?([^\s,;)\]]+)", re.IGNORECASE)
_ANY_NUMBER = r"(-?\d+(?:\.\d+)?)"
# (1-64, default 8), [0..1], between 1 and 64, from 0 to 1
RANGE = re.compile(
    rf"(?:[(\[]\s*{_ANY_NUMBER}\s*(?:-|–|\.{{2,3}}|to\b)\s*{_ANY_NUMBER}\s*[,;)\]]"
    rf"|\bbetween {_ANY_NUMBER} and {_ANY_NUMBER}|\bfrom {_ANY_NUMBER} to {_ANY_NUMBER})",
    re.IGNORECASE,
)
WHOLE, NUMBER = re.compile(r"\d+"), re.compile(r"\d*\.\d+(?:e-?\d+)?", re.IGNORECASE)
PLACES = {  # what an option is called that carries each part of a render
    "picture": ("output", "out", "o", "image", "picture", "render-output", "outfile"),
    "view": ("camera", "cam", "view"),
    "width": ("width", "w", "xres", "x-resolution", "res-x"),
    "height": ("height", "h", "yres", "y-resolution", "res-y"),
    "seed": ("seed", "s", "random-seed"),
    "threads": ("threads", "t", "j", "num-threads", "nthreads"),
    "frame": ("frame", "f", "frame-number"),
    "scene": ("scene", "input", "i", "file"),
}
EXPLAINED = {  # and how it is explained where its name says nothing
    "picture": re.compile(r"\b(write|writes|written|output|save|saved)\b.*\b(picture|image|render|exr)\b"
                          r"|\b(picture|image|exr)\b.*\b(write|output|save)\b", re.IGNORECASE),
    "view": re.compile(r"\bcamera\b", re.IGNORECASE),
    "width": re.compile(r"^\W*(picture |image )?width\b", re.IGNORECASE),
    "height": re.compile(r"^\W*(picture |image )?height\b", re.IGNORECASE),
    "seed": re.compile(r"\bseeds?\b|\brandom numbers?\b", re.IGNORECASE),
    "threads": re.compile(r"\b(number of|how many) (worker )?(threads|cores)\b", re.IGNORECASE),
    "frame": re.compile(r"\bframe (number|to render)\b|\bnumber of the frame\b", re.IGNORECASE),
    "scene": re.compile(r"\bscene file\b|\bscene to (read|render)\b", re.IGNORECASE),
}  # fmt: skip
A_PIXEL = re.compile(r"\b(samples|rays|paths)\b.*\b(per|an?|each|every) pixel\b", re.IGNORECASE)
COUNT, REAL = ("n", "num", "int", "integer", "count"), ("x", "float", "number", "real", "value")
BOTH = ("size", "resolution", "res", "r")
KNOBS = ("samples", "spp", "sample-count", "n-samples", "samples-per-pixel", "quality", "threshold", "noise-threshold")
DOWN = ("threshold", "noise-threshold")
MOST_NAME = 30
LEFT_OUT = ("help", "version", "verbose", "quiet", "h", "v", "V", "q", "log", "gui")


@dataclass(frozen=True)
class Option:
    """One option as a program's help lists it."""

    flag: str
    values: int
    about: str
    default: str
    choices: tuple[str, ...] = ()
    value_name: str = ""

    @property
    def name(self) -> str:
        """Its flag without dashes."""
        return self.flag.lstrip("-")


def options_in(help_text: str) -> list[Option]:
    """The options that a program's own help lists, in its order; of several flags of one option the longest."""
    found: dict[str, Option] = {}
    latest: str = ""
    for line in help_text.splitlines():
        if not line.strip().startswith("-"):
            if latest and line.startswith("    ") and line.strip() and not found[latest].about:
                found[latest] = replace(found[latest], about=line.strip())
            continue
        head, _, about = line.strip().partition("  ")
        flags = FLAG.findall(re.sub(r"\{[^}]*\}|<[^>]*>", "", head))
        if not flags:
            continue
        flag = max(flags, key=len)
        last = head[head.rindex(flags[-1]) + len(flags[-1]) :]
        values = VALUE.findall(last) or VALUE.findall(head.partition(",")[0][len(flags[0]) :])
        default = DEFAULT.search(about)
        choices = CHOICES.search(last)
        latest = flag
        found.setdefault(flag, Option(
            flag, len(values), about.strip(" :-\t"), default[1] if default else "",
            tuple(each.strip() for each in choices[1].split(",")) if choices else (),
            values[0].strip("<>").lower() if len(values) == 1 else "",
        ))  # fmt: skip
    return list(found.values())


def first_definition(program: str, help_text: str, answers: Mapping[str, str]) -> str:
    """TOML of a definition in the second format, to be read, corrected and tried.

    Parameters
    ----------
    answers : mapping
        What a person said: ``title``, ``version_flag``, ``ready`` and ``progress`` (patterns); all may be missing.
    """
    options = options_in(help_text)
    carried = {place: _named(options, names) for place, names in PLACES.items()}
    for place, option in carried.items():
        if option is None:
            named = {each.flag for each in carried.values() if each}
            carried[place] = _explained([each for each in options if each.flag not in named], EXPLAINED[place])
    both = _named(options, BOTH) if carried["width"] is None else None
    words = [program]
    for place, option in carried.items():
        if option is not None and place != "scene":
            words += [option.flag, f"{{{place}}}"]
    if both is not None:
        words += [both.flag, *(["{width}", "{height}"] if both.values > 1 else ["{width}x{height}"])]
    words.append("{settings}")
    words += [carried["scene"].flag, "{scene}"] if carried["scene"] is not None else ["{scene}"]
    taken = {each.flag for each in (*carried.values(), both) if each is not None}
    left = [each for each in options if each.flag not in taken and each.name not in LEFT_OUT]
    knob = next((each for each in left if each.name in KNOBS), None) or _explained(left, A_PIXEL)
    settings = {_setting_name(each): _setting(each, is_knob=each is knob) for each in left}
    name = re.sub(r"[^a-z0-9-]+", "-", PurePath(program).stem.lower()).strip("-") or "engine"
    title = answers.get("title") or name.replace("-", " ").capitalize()
    twins = [] if carried["seed"] else ['twins = "frame"  # it lists no seed; "none" where no frame changes its noise']
    lines = [
        "# Proposed from the program's own help. Read it, then try it: matchedpair engine FILE --try SCENE",
        "format = 2", f"name = {_text(name)}", f"title = {_text(title)}", *twins, "",
        "[command]", f"render = [{', '.join(map(_text, words))}]",
        f"version = [{_text(program)}, {_text(answers.get('version_flag') or '--version')}]",
        "version_pattern = '(\\d\\S*)'", "", "[output]",
        *([] if carried["picture"] else ['picture = "*.exr"  # it lists no option for it; what it writes is found so']),
        *(f"{key} = {_pattern(answers[key])}" for key in ("ready", "progress") if answers.get(key)), "",
        *settings.values(),
    ]  # fmt: skip
    return "\n".join(lines).rstrip() + "\n"


def _named(options: list[Option], names: tuple[str, ...]) -> Option | None:
    by_name = {each.name.replace("_", "-").lower(): each for each in options if each.values > 0}
    return next((by_name[name] for name in names if name in by_name), None)


def _explained(options: list[Option], words: re.Pattern[str]) -> Option | None:
    """The one option of a single value that is explained so; none where several are."""
    found = [each for each in options if each.values == 1 and not each.choices and words.search(each.about)]
    return found[0] if len(found) == 1 else None


def _setting_name(option: Option) -> str:
    name = re.sub(r"[^a-z0-9]+", "_", option.name.lower()).strip("_")[:MOST_NAME]
    return name if name[:1].isalpha() and name not in RESERVED else f"option_{name}"


def _setting(option: Option, *, is_knob: bool) -> str:
    rows = ["[[setting]]", f"name = {_text(_setting_name(option))}"]
    low: list[str] = []
    if option.values == 0:
        rows += ['type = "switch"', "default = false", f"argument = [{_text(option.flag)}]"]
        kind = "switch"
    else:
        if option.choices:
            rows.append(f"choices = [{', '.join(map(_text, option.choices))}]")
        kind, default = _kind(option, is_knob=is_knob)
        places = ["{value}"] if option.values == 1 else [f"{{value.{index}}}" for index in range(option.values)]
        low, high = _range(option, kind, default)
        rows += [f"type = {_text(kind)}", *low, *high, f"default = {default}",
                 f"argument = [{', '.join(map(_text, (option.flag, *places)))}]"]  # fmt: skip
    if option.about:
        rows.append(f"about = {_text(option.about[:200])}")
    if is_knob:
        rows += ['affects = ["noise", "time"]', "quality_knob = true"]
        rows += ['better = "lower"'] if option.name in DOWN else ["minimum = 1"] * (kind == "integer" and not low)
    return "\n".join([*rows, ""])


def _kind(option: Option, *, is_knob: bool) -> tuple[str, str]:
    if option.choices:
        return "choice", _text(option.default if option.default in option.choices else option.choices[0])
    if option.values > 1:
        return "list", _text("")
    if WHOLE.fullmatch(option.default):
        return "integer", str(int(option.default))
    if NUMBER.fullmatch(option.default):
        return "number", repr(float(option.default))
    if is_knob:
        return ("number", "0.1") if option.name in DOWN else ("integer", "16")
    if not option.default and option.value_name in COUNT:
        return "integer", "0"
    if not option.default and option.value_name in REAL:
        return "number", "0.0"
    return "text", _text(option.default)


def _range(option: Option, kind: str, default: str) -> tuple[list[str], list[str]]:
    """Lines for the least and the most that its explanation names, where its default lies between."""
    found = RANGE.search(option.about)
    if found is None or kind not in ("integer", "number"):
        return [], []
    low, high = (each for each in found.groups() if each is not None)
    if not float(low) <= float(default) <= float(high) or (kind == "integer" and "." in low + high):
        return [], []
    return [f"minimum = {low}"], [f"maximum = {high}"]


def _text(value: str) -> str:
    return json.dumps(value, ensure_ascii=False)


def _pattern(value: str) -> str:
    return f"'{value}'" if "'" not in value else _text(value)
