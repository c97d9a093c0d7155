"""Proposes how names are made from the names alone, for a person to look at: `NamePattern` reads what is proposed."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise

from matchedpair.elsewhere.columns import SPELLINGS
from matchedpair.elsewhere.facts import SECONDS, SWITCHES, TEXTS, WHOLES
from matchedpair.elsewhere.name_pattern import NamePattern, stem_of
from matchedpair.errors import InputError

ENOUGH_ALIKE = 0.8  # of the names, that are made in one way
NUMBER = r"(?:(?:0|[1-9]\d*)(?:\.\d{1,3})+(?![\d])|\d+)"  # 4.1 is one number, 0064.0001 are two
WORDS = re.compile(rf"((?:{NUMBER}|[^\W_\d])+)")
NUMBERED = re.compile(rf"([^\W\d_]*)({NUMBER})([^\W\d_]*)")
# what letters beside a number, or the word before it, say of it, beside what columns of a table are called
LABELS = {
    **{each: name for name, spelt in SPELLINGS.items() for each in spelt if " " not in each},
    "sd": "seed", "rng": "seed", "rep": "seed", "spp": "samples", "smp": "samples", "samples": "samples",
    "sample": "samples", "f": "frame", "fr": "frame", "v": "version", "ver": "version", "thr": "threads",
}  # fmt: skip
SECONDS_BEHIND = ("s", "sec", "secs", "seconds")
SAYS_NOTHING = frozenset(
    ("beauty", "rgb", "rgba", "out", "output", "render", "image", "img", "test", "final", "comp", "main", "tmp")
)
# words before a number that name a setting even where the numbers count as seeds do
COUNTS = frozenset(("bounces", "depth", "rays", "level", "levels", "passes", "lights", "clamp", "threshold"))
FRAME_DIGITS = 4  # of a number of one width, filled up with noughts
WORDLESS = "value"
PLACE_NAME = re.compile(r"[a-z][a-z0-9_]{0,39}")


@dataclass(eq=False)  # two of the same words are two
class _Column:
    """What stands at one place of all names; `place` is written there with letters around it, or nothing."""

    words: Sequence[str]
    place: str = ""
    before: str = ""
    behind: str = ""
    labels_next: bool = False

    @property
    def varies(self) -> bool:
        return len(set(self.words)) > 1

    @property
    def letters(self) -> bool:
        """Whether it is a word, and free to be taken for one."""
        return not self.place and not self.labels_next and not self._numbers()

    def numbered(self) -> tuple[str, list[str], str] | None:
        """Letters before, numbers, letters behind, where all have the same letters."""
        found = self._numbers()
        if not found or len({(each[1], each[3]) for each in found}) > 1:
            return None
        return found[0][1], [each[2] for each in found], found[0][3]

    def _numbers(self) -> list[re.Match[str]]:
        found = [NUMBERED.fullmatch(word) for word in self.words]
        return [each for each in found if each] if all(found) else []

    def within(self, known: Collection[str]) -> bool:
        """Whether all its words are among what is known."""
        return all(word.casefold() in known for word in self.words)

    def written(self) -> str:
        return f"{self.before}{{{self.place}}}{self.behind}" if self.place else self.words[0]


def proposed_pattern(
    names: Sequence[str], engines: Iterable[str] = (), scenes: Iterable[str] = (), views: Iterable[str] = ()
) -> str:
    """A pattern that most of the names follow and that tells them apart; empty where none can be seen.

    Numbers are named by the letters beside them or the word before, words by the engines, scenes and views that are
    known, and what is left in the order in which people mostly put them: scene, view, engine.
    """
    stems = [stem_of(name) for name in names]
    layouts = Counter(_layout(stem) for stem in stems)
    if not layouts:
        return ""
    layout, many = layouts.most_common(1)[0]
    if many < ENOUGH_ALIKE * len(stems) or len(layout) < 2 or re.search(r"[{}*]", "".join(layout)):
        return ""
    alike = [stem for stem in stems if _layout(stem) == layout]
    columns = [_Column(words) for words in zip(*(WORDS.findall(stem) for stem in alike), strict=True)]
    _name_numbers(columns)
    known = [{each.casefold() for each in given} for given in (engines, scenes, views)]
    _name_bound(columns, layout, set().union(*known))
    _name_words(columns, *known)
    places = [column.place for column in columns if column.place]
    if len(places) < 2 and not set(places) & {"frame", "seed", "samples"}:
        return ""  # one word tells too little to know what it is
    pattern = layout[0] + "".join(
        column.written() + follows for column, follows in zip(columns, layout[1:], strict=True)
    )
    return pattern if _tells_apart(pattern, alike) else ""


def _layout(stem: str) -> tuple[str, ...]:
    """What stands between the words of a name, before the first and behind the last."""
    return tuple(WORDS.split(stem)[::2])


def _tells_apart(pattern: str, stems: Sequence[str]) -> bool:
    """Whether all are read by it, and no two of them say the same."""
    try:
        read = NamePattern(pattern)
        found = [read.read(f"{stem}.") for stem in stems]
    except InputError:
        return False
    said = {(*sorted(each.fields.items()), *sorted(each.settings.items())) for each in found if each is not None}
    return None not in found and len(said) == len(set(stems))


def _name_numbers(columns: Sequence[_Column]) -> None:
    for at, column in enumerate(columns):
        found = column.numbered()
        if found is None:
            continue
        before, numbers, behind = found
        name = _labelled(before, numbers, behind)
        if not name and not column.varies:
            continue
        if not name and not before and not behind and at > 0:
            name = _by_word_before(columns[at - 1], numbers, at - 1)
        told = "" if (before or behind).lower() in SAYS_NOTHING else _as_name(before or behind)
        name = _once(name or told or _by_values(numbers, columns), columns)
        if name in TEXTS and name != "version":
            column.place = name  # cam1 is the view's name, not 1
        else:
            column.place, column.before, column.behind = name, before, behind


def _labelled(before: str, numbers: Sequence[str], behind: str) -> str:
    """The name that letters beside numbers stand for; empty where they stand for none."""
    if before.lower() in ("s", "r") and not behind:
        return "seed" if _counted(numbers) or before.lower() == "r" else "samples"
    if not before and behind.lower() in SECONDS_BEHIND:
        return "seconds"
    return LABELS.get((before or behind).lower(), "")


def _by_word_before(label: _Column, numbers: Sequence[str], at: int) -> str:
    """As in `bounces_8`. The first word is a name, and so may be one before a frame or a seed."""
    if not label.letters or label.varies or label.within(SAYS_NOTHING):
        return ""
    word = label.words[0]
    name = _labelled(word, numbers, "")
    if not name and at > 0 and (word.lower() in COUNTS or not (_counted(numbers) or _frames(numbers))):
        name = _as_name(word)
    label.labels_next = bool(name)
    return name


def _counted(numbers: Sequence[str]) -> bool:
    """Whether they count from nought or one without a gap, as seeds do."""
    if not all(each.isdigit() for each in numbers):
        return False
    values = sorted({int(each) for each in numbers})
    return values[0] in (0, 1) and values == list(range(values[0], values[0] + len(values)))


def _frames(numbers: Sequence[str]) -> bool:
    """Whether they are of one width, as frames are."""
    return all(each.isdigit() and len(each) == len(numbers[0]) >= FRAME_DIGITS for each in numbers)


def _by_values(numbers: Sequence[str], columns: Sequence[_Column]) -> str:
    if _frames(numbers):
        return "frame"
    if any("." in each for each in numbers):
        return "version"
    if _counted(numbers):
        return "seed"
    return WORDLESS if any(column.place == "samples" for column in columns) else "samples"


def _as_name(text: str) -> str:
    return text.lower() if PLACE_NAME.fullmatch(text.lower()) else ""


def _once(name: str, columns: Sequence[_Column]) -> str:
    """The name, or the name with a number where it is taken."""
    taken = {column.place for column in columns}
    numbered = (f"{name}_{number}" for number in range(2, len(columns) + 2))
    return name if name not in taken else next(each for each in numbered if each not in taken)


def _name_bound(columns: Sequence[_Column], layout: Sequence[str], known: Collection[str]) -> None:
    """Words behind one that all share and that a mark of its own binds them to, as in `hall_guide-on_1`. The first word
    is a name.
    """
    for at, (label, column) in enumerate(pairwise(columns)):
        outside = {layout[at], *layout[at + 2 : at + 3]} - {""}
        if at == 0 or layout[at + 1] in outside or not outside or not (label.letters and column.letters):
            continue
        if label.varies or not column.varies or label.within(known) or label.within(SAYS_NOTHING):
            continue
        name = LABELS.get(label.words[0].lower(), "") or _as_name(label.words[0])
        if name and name not in (*WHOLES, *SECONDS):
            column.place, label.labels_next = _once(name, columns), True


def _name_words(columns: Sequence[_Column], engines: set[str], scenes: set[str], views: set[str]) -> None:
    """Words that are known first, then those before a version or a switch, then by their order."""
    free = [column for column in columns if column.letters and not column.within(SAYS_NOTHING)]
    for name, known in (("engine", engines), ("scene", scenes), ("view", views)):
        column = next((each for each in free if not each.place and each.within(known)), None)
        if column is not None:
            column.place = _once(name, columns)
    for label, column in pairwise(columns):
        if column in free and not column.place and column.varies and column.within(SWITCHES):
            named = _as_name(label.words[0]) if label in free and not label.varies else ""
            column.place, label.labels_next = _once(named or WORDLESS, columns), bool(named)
        if column.place == "version" and "." in "".join(column.words) and label in free and not label.place:
            label.place = _once("engine", columns)
    left = [column for column in free if column.letters]
    varying = [column for column in left if column.varies]
    if all(column.place != "engine" for column in columns) and varying:
        varying[-1].place = "engine"  # one that all share is seldom written, and asked for where it is not known
    taken = {column.place for column in columns}
    names = iter([name for name in ("scene", "view", "engine") if name not in taken])
    for column in left:
        if not column.place:
            name = next(names, WORDLESS if column.varies else "")
            column.place = _once(name, columns) if name else ""
