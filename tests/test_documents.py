"""What the documents promise: commands that exist, files that are there, and the worked example to the letter."""

import re
import stat
import sys
import tempfile
import tomllib
import unittest
from pathlib import Path

import tomli_w
from matchedpair.engines import read_definition, render
from matchedpair.engines.definition_keys import CHANGES, LATER, PLACEHOLDERS, TOP_KEYS
from matchedpair.engines.job import RenderJob
from matchedpair.engines.setting import AFFECTS
from matchedpair.scenes.scene import DESCRIBED_KEYS

from tests.engines import DRAW

ROOT = Path(__file__).parents[1]
DEFINITIONS = (ROOT / "docs" / "engine-definitions.md").read_text(encoding="utf-8")

SCENES = (ROOT / "docs" / "scenes.md").read_text(encoding="utf-8")
PEBBLE = ROOT / "tests" / "renderers" / "pebble" / "pebble.toml"
BASE = """
format = 2
name = "glint"
title = "Glint"
[command]
render = ["glint", "{seed}", "{picture}", "{settings}", "{changes}", "{scene}"]
[[setting]]
name = "spp"
type = "integer"
default = 4
argument = ["--spp", "{value}"]
"""

GLINT = """#!{python}
import sys
if "--version" in sys.argv:
    sys.exit(print("glint 0.9"))
words = dict(zip(sys.argv[1::1], sys.argv[2::1]))
place = sys.argv.index("-res")
sys.argv = ["glint", "--picture", words["-o"], "--seed", words["-seed"], "--samples", words["-spp"],
            "--width", sys.argv[place + 1], "--height", sys.argv[place + 2]]
{draw}
say("scene loaded")
time.sleep(1)  # a line that a busy machine hears with the last ones would not be believed
say("tile 96/96")
draw(a.width, a.height)
"""


class WorkedExample(unittest.TestCase):
    def test_the_worked_example_renders_as_it_stands(self):
        text = re.search(r"```toml\n(.*?)```", DEFINITIONS, re.DOTALL)[1]
        self.assertLess(text.count("\n"), 30)
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            program = folder / "glint"
            program.write_text(GLINT.format(python=sys.executable, draw=DRAW))
            program.chmod(program.stat().st_mode | stat.S_IXUSR)
            (folder / "glint.toml").write_text(text.replace('["glint"', '["./glint"'))
            definition = read_definition(folder / "glint.toml")
            made = folder / "made"
            made.mkdir()
            job = RenderJob(folder / "s.json", "counter", 1, 32, 18, 7, 1, {"spp": 4}, 30)
            outcome = render(definition, job, made)
        self.assertEqual((outcome.state, outcome.reason), ("finished", ""))
        self.assertIsNotNone(outcome.ready_seconds)

    def test_every_placeholder_and_effect_is_documented(self):
        for name in (*PLACEHOLDERS, "settings", "changes"):
            self.assertIn(f"`{{{name}}}`", DEFINITIONS)
        for key in CHANGES:
            self.assertIn(f"`command.{key}`", DEFINITIONS)
        for key in TOP_KEYS:
            self.assertRegex(DEFINITIONS, rf"`(\[\[)?{key}[\].`]", key)
        for effect in AFFECTS:
            self.assertIn(f"`{effect}`", DEFINITIONS)


class SecondFormat(unittest.TestCase):
    """Each example of the guide is read as part of a definition; the whole one is the tests' own renderer."""

    def test_the_whole_example_is_the_renderer_that_the_tests_run(self):
        self.assertIn(PEBBLE.read_text(encoding="utf-8"), DEFINITIONS)
        self.assertIn(
            (ROOT / "tests" / "renderers" / "scenes" / "court.scene.toml").read_text(encoding="utf-8"), SCENES
        )

    def test_every_fragment_is_good(self):
        guide = DEFINITIONS[DEFINITIONS.index("## By task") : DEFINITIONS.index("### All of it")]
        fragments = re.findall(r"```toml\n(.*?)```", guide, re.DOTALL)
        self.assertGreater(len(fragments), 8)
        for fragment in fragments:
            with self.subTest(fragment), tempfile.TemporaryDirectory() as name:
                whole = _joined(tomllib.loads(BASE), tomllib.loads(fragment))
                path = Path(name) / "glint.toml"
                path.write_text(tomli_w.dumps(whole))
                read_definition(path)

    def test_every_key_of_it_is_documented(self):
        for keys in LATER.values():
            for key in keys:
                self.assertIn(key, DEFINITIONS[DEFINITIONS.index("## By task") :], key)
        for key in DESCRIBED_KEYS:
            self.assertIn(f"`{key}", SCENES, key)


def _joined(first, second):
    """Tables together, lists one after the other."""
    found = dict(first)
    for key, value in second.items():
        if isinstance(value, dict) and isinstance(found.get(key), dict):
            found[key] = _joined(found[key], value)
        elif isinstance(value, list) and key in ("setting", "build", "pass"):
            found[key] = [*found.get(key, []), *value]
        else:
            found[key] = value
    return found


class Readme(unittest.TestCase):
    def setUp(self):
        self.text = (ROOT / "README.md").read_text(encoding="utf-8")

    def test_links_lead_somewhere(self):
        for page in (ROOT / "README.md", *(ROOT / "docs").rglob("*.md")):
            for target in re.findall(r"\]\(([^)#:]+)\)", page.read_text(encoding="utf-8")):
                self.assertTrue((page.parent / target).exists(), f"{page.name}: {target}")

    def test_every_screenshot_is_shown_or_listed_and_they_stay_few(self):
        shots = list((ROOT / "docs" / "screenshots").glob("*.png"))
        self.assertGreater(len(shots), 5)
        self.assertLess(len(shots), 20)
        for shot in shots:
            self.assertIn(shot.name, self.text)

    def test_every_variable_is_documented(self):
        used = set()
        for path in (ROOT / "server").rglob("*.py"):
            used |= set(re.findall(r'"(MATCHEDPAIR_[A-Z_]+)"', path.read_text(encoding="utf-8")))
        for name in used:
            self.assertIn(name, self.text)
