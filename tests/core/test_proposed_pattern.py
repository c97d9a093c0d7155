"""How names are made, seen from the names."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st
from matchedpair.elsewhere import NamePattern, proposed_pattern
from matchedpair.elsewhere.proposed_pattern import ENOUGH_ALIKE

LOUNGE = [f"lounge_{engine}_64spp_seed{seed}.png" for engine in ("plover", "wigeon") for seed in (1, 2)]
# what people call things: the pattern, and names that each part of it shows in
SEEN = (
    ("{scene}_{engine}_{samples}spp_seed{seed}", LOUNGE),
    ("{engine}-{version}-{seed}", [f"plover-{v}-{seed}.exr" for v in ("4.1", "4.2") for seed in (1, 2, 3)]),
    ("{scene}.{view}.s{samples}.seed{seed}", [f"barn.door.s{n:04d}.seed{s}.exr" for n in (8, 256) for s in (1, 2)]),
    ("{scene}_{view}_{engine}.{frame}", [f"barn_door_wigeon.{frame:04d}.exr" for frame in range(1001, 1010)]),
    (
        "{scene}_{view}_{engine}_b{b}_r{seed}",
        [f"barn_cam{c}_wigeon_b{b}_r{r}.exr" for c in (1, 2) for b in (2, 4) for r in (1, 2)],
    ),
    (
        "{scene}_samples_{samples}_seed_{seed}_{seconds}s",
        [f"kitchen_samples_{n}_seed_{s}_{n}.{s}5s.exr" for n in (4, 16) for s in (0, 1)],
    ),
    ("{scene}_denoise_{denoise}_{seed}", [f"kitchen_denoise_{o}_{s}.exr" for o in ("on", "off") for s in (1, 2)]),
    ("{scene}_{view}_bounces_{bounces}", [f"barn_door_bounces_{n}.exr" for n in (1, 2, 3)]),
    (
        "{scene}_{view}_{engine}_{samples}",
        [
            f"{place}_{engine}_{n}.exr"
            for place in ("barn_wide", "barn_near", "hall_wide", "hall_near") for engine in ("a", "b") for n in (16, 64)
        ],
    ),
    ("{scene} v{version} {samples}spp", [f"Lounge v{v} {n}spp.tif" for v in (1, 2) for n in (32, 128)]),
    ("{scene}_{view}_{value}_{seed}", [f"küche_tür_{o}_{s}.exr" for o in ("on", "off") for s in (1, 2)]),
    (
        "{scene}_sss-{sss}_seed{seed}",
        [f"bust_sss-{how}_seed{seed}.exr" for how in ("walk", "fast") for seed in (1, 2)],
    ),
    (
        "{scene}-{engine}_camera-{view}_{seed}",
        [f"bust-{way}_camera-{name}_{seed}.exr" for way in "ab" for name in ("wide", "near") for seed in (1, 2)],
    ),
    ("render{seed}", ["render1.exr", "render2.exr"]),
    ("{scene}_{view}_{samples}spp", [f"küche_tür_{n}spp.exr" for n in (1, 2, 4)]),
)  # fmt: skip


class Proposed(unittest.TestCase):
    def test_what_people_call_their_renders_is_seen(self):
        for pattern, names in SEEN:
            with self.subTest(names[0]):
                self.assertEqual(proposed_pattern(names), pattern)
                self.assertTrue(all(NamePattern(pattern).read(name) for name in names))

    def test_what_is_known_here_is_called_by_its_name_wherever_it_stands(self):
        names = [f"{engine}_{scene}_{n}.exr" for engine in ("Plover", "ALDER") for scene in ("barn", "hall")
                 for n in (4, 16)]  # fmt: skip
        self.assertEqual(
            proposed_pattern(names, engines=["alder", "plover"], scenes=["Barn", "Hall"]),
            "{engine}_{scene}_{samples}",
        )

    def test_numbers_with_noughts_are_read_as_numbers(self):
        name = SEEN[2][1][0]
        self.assertEqual(NamePattern(proposed_pattern(SEEN[2][1])).read(name).settings, {"samples": 8})

    def test_a_few_names_made_otherwise_do_not_hide_how_most_are_made(self):
        more = [f"lounge_{engine}_64spp_seed{seed}.png" for engine in ("plover", "wigeon") for seed in range(1, 9)]
        self.assertEqual(proposed_pattern([*more, "notes.png"]), SEEN[0][0])
        self.assertEqual(proposed_pattern([*LOUNGE, "notes.png", "other.png"]), "")

    def test_nothing_is_proposed_where_nothing_can_be_seen(self):
        for names in ([], ["a.exr"], ["a.exr", "b.exr"], ["final.exr", "beauty.exr"], ["x{a}_1.exr", "x{a}_2.exr"]):
            self.assertEqual(proposed_pattern(names), "", names)

    def test_two_files_of_one_name_but_for_its_writing_are_not_made_one(self):
        self.assertEqual(proposed_pattern(["barn_door_s1.exr", "barn_door_s01.exr"]), "")

    @given(st.lists(st.text("ab12_-. v%é{*", max_size=12), max_size=8, unique=True))
    def test_whatever_is_proposed_reads_most_names_and_tells_them_apart(self, names):
        pattern = proposed_pattern(names)
        if pattern:
            read = [facts for facts in map(NamePattern(pattern).read, names) if facts is not None]
            self.assertGreaterEqual(len(read), ENOUGH_ALIKE * len(names))
            stems = {name.rpartition(".")[0] or name for name in names if NamePattern(pattern).read(name)}
            self.assertEqual(len({str((each.fields, each.settings)) for each in read}), len(stems))
