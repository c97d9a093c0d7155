"""Small made-up engines: Python scripts called through definitions, good ones and bad ones."""

from __future__ import annotations

import sys
import textwrap
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

DRAW = """
import argparse, math, os, random, signal, struct, sys, time
parser = argparse.ArgumentParser()
for name in ("--scene", "--view", "--picture", "--level"):
    parser.add_argument(name)
for name in ("--width", "--height", "--seed", "--threads", "--samples"):
    parser.add_argument(name, type=int)
parser.add_argument("--pause", type=float, default=0.0)
parser.add_argument("--extra", action="store_true")
a = parser.parse_args()

def say(text):
    print(text, flush=True)

def draw(width, height, change=lambda light, x, y: light):
    \"\"\"In plain Python, since loading a library would take longer than all the rest.\"\"\"
    dice = random.Random(a.seed)
    rough = 0.4 / max(a.samples, 1) ** 0.5
    rows = []
    for y in range(height):
        grain = [1 + dice.gauss(0, rough) for x in range(width)]
        light = [change((0.3 + 0.2 * math.sin(x / 7) + 0.002 * y) * grain[x], x, y) for x in range(width)]
        rows.append(b"".join(struct.pack(f"<{width}e", *[tint * v for v in light]) for tint in (0.6, 0.8, 1.0)))

    def of(name, kind, value):
        return name + b"\\0" + kind + b"\\0" + struct.pack("<i", len(value)) + value

    channels = b"".join(letter + b"\\0" + struct.pack("<iB3xii", 1, 0, 1, 1) for letter in (b"B", b"G", b"R"))
    window = struct.pack("<4i", 0, 0, width - 1, height - 1)
    header = struct.pack("<ii", 20000630, 2) + b"".join([
        of(b"channels", b"chlist", channels + b"\\0"), of(b"compression", b"compression", b"\\0"),
        of(b"dataWindow", b"box2i", window), of(b"displayWindow", b"box2i", window),
        of(b"lineOrder", b"lineOrder", b"\\0"), of(b"pixelAspectRatio", b"float", struct.pack("<f", 1)),
        of(b"screenWindowCenter", b"v2f", struct.pack("<2f", 0, 0)),
        of(b"screenWindowWidth", b"float", struct.pack("<f", 1)),
    ]) + b"\\0"
    each = 8 + 6 * width
    first = len(header) + 8 * height
    with open(a.picture, "wb") as file:
        file.write(header + struct.pack(f"<{height}Q", *[first + each * y for y in range(height)]))
        for y, row in enumerate(rows):
            file.write(struct.pack("<ii", y, len(row)) + row)
"""

BODIES = {
    "good": """
        say("loading")
        time.sleep(a.pause / 2)
        say("ready now")
        for k in range(10):
            say(f"step {k + 1}/10")
            time.sleep(a.pause / 10)
        while os.path.exists(__file__ + ".held"):
            time.sleep(0.05)
        draw(a.width, a.height)
    """,
    "fails": """
        say("ready now")
        print("out of texture memory", file=sys.stderr, flush=True)
        sys.exit(3)
    """,
    "no-picture": 'say("ready now")',
    "wrong-size": "draw(a.width // 2, a.height)",
    "not-finite": """
        draw(a.width, a.height, lambda light, x, y: light if y >= a.height // 2 else float("nan"))
    """,
    "black": "draw(a.width, a.height, lambda light, x, y: 0.0)",
    "garbage": 'open(a.picture, "wb").write(b"this is no picture")',
    "hangs": """
        say("ready now")
        time.sleep(600)
    """,
    "stubborn": """
        signal.signal(signal.SIGTERM, signal.SIG_IGN)
        if os.fork() == 0:
            time.sleep(600)
        say("ready now")
        time.sleep(600)
    """,
    "chatty": r"""
        for k in range(20000):
            print("word " * 20)
        print("x" * 3_000_000)
        print("\rstep 5/10\rstep 10/10\r", end="")
        draw(a.width, a.height)
    """,
    "busy": """
        say("ready now")
        end = time.process_time() + 0.6
        while time.process_time() < end:
            pass
        block = bytearray(150_000_000)
        block[::4096] = b"x" * len(block[::4096])
        draw(a.width, a.height)
    """,
    "unflushed": """
        print("ready now")
        time.sleep(0.6)
        draw(a.width, a.height)
    """,
    "late": """
        draw(a.width, a.height)
        time.sleep(2.5)
        print("ready now")
        os._exit(sys.stdout.flush() or 0)
    """,
    "crashes": "os.kill(os.getpid(), signal.SIGSEGV)",
}

DEFINITION = """
format = 1
name = "{name}"
title = "{title}"
about = "Made up for tests."

[command]
render = ["{python}", "{script}", "--scene", "{{scene}}", "--view", "{{view}}",
  "--width", "{{width}}", "--height", "{{height}}", "--seed", "{{seed}}", "--threads", "{{threads}}",
  "--picture", "{{picture}}", "{{settings}}"]
version = ["{python}", "-c", "print('Maker 2.5 of spring')"]
version_pattern = 'Maker (\\S+)'

[output]
ready = '^ready now'
progress = '^step (\\d+)/(\\d+)'

[[setting]]
name = "samples"
type = "integer"
minimum = 1
maximum = 4096
default = 4
argument = ["--samples", "{{value}}"]
quality_knob = true

[[setting]]
name = "pause"
type = "number"
unit = "s"
minimum = 0
maximum = 60
default = {pause}
argument = ["--pause", "{{value}}"]

[[setting]]
name = "level"
type = "choice"
choices = ["low", "high"]
default = "low"
argument = ["--level", "{{value}}"]

[[setting]]
name = "extra"
type = "switch"
default = false
argument = ["--extra"]
"""


def add_engine(folder: Path, kind: str, *, name: str = "", pause: float = 0.0) -> Path:
    """Write the script and the definition of one made-up engine into a folder; returns the definition."""
    script = folder / f"{kind}.py"
    script.write_text(DRAW + textwrap.dedent(BODIES[kind]))
    name = name or kind
    text = DEFINITION.format(name=name, title=name.capitalize(), python=sys.executable, script=script, pause=pause)
    path = folder / f"{name}.toml"
    path.write_text(text)
    return path


@contextmanager
def held(script: Path) -> Iterator[None]:
    """No render of the good engine with this script comes to its end meanwhile."""
    mark = Path(f"{script}.held")
    mark.touch()
    try:
        yield
    finally:
        mark.unlink()


LADDER = """
    levels = [int(float(part)) for part in a.on_the_way.split(",")] if a.on_the_way else []
    say("ready now")
    spent = 0.0
    for k in range(a.samples):
        time.sleep(a.pause / a.samples)
        if k + 1 in levels:
            began = time.time()
            picture, samples = a.picture, a.samples
            a.picture, a.samples = f"way-{k + 1}.exr", k + 1
            draw(a.width, a.height)
            time.sleep(0.3)
            a.picture, a.samples = picture, samples
            spent += time.time() - began
            say(f"wrote way-{k + 1}.exr at {k + 1}, {spent} s")
    draw(a.width, a.height)
    say(f"reached {a.samples}")
    say("drew 12 frames in 0.5 s")
"""


def add_ladder(folder: Path, name: str = "ladder") -> Path:
    """A made-up engine that writes pictures on the way, each of which costs 0.3 s more than it need."""
    path = add_engine(folder, "good", name=name)
    script = folder / f"{name}.py"
    extra = 'parser.add_argument("--extra"'
    drawing = DRAW.replace(extra, f'parser.add_argument("--on-the-way", default="")\n{extra}')
    script.write_text(drawing + textwrap.dedent(LADDER))
    text = path.read_text().replace(str(folder / "good.py"), str(script))
    text = text.replace('"{settings}"]', '"{settings}", "{changes}"]')
    text = text.replace("[output]", 'on_the_way = ["--on-the-way", "{levels}"]\n\n[output]', 1).replace(
        "ready = ",
        "on_the_way = '^wrote (?P<file>\\S+) at (?P<level>\\d+), (?P<spent>[\\d.]+) s'\n"
        "reached = '^reached (\\d+)'\nframes = '^drew (\\d+) frames in ([\\d.]+) s'\nready = ",
        1,
    )
    path.write_text(text)
    return path


BOUNCES = """
[[setting]]
name = "bounces"
title = "Maximum bounces"
type = "integer"
minimum = 1
maximum = 64
default = 8
argument = ["--bounces", "{value}"]
affects = ["time", "look"]
"""


def add_bouncing(folder: Path, name: str = "bouncing") -> Path:
    """A made-up engine whose pictures lack light with few bounces: half of it with one, a tenth with two; from frame 6
    on next to nothing.
    """
    path = add_engine(folder, "good", name=name)
    script = folder / f"{name}.py"
    extra = 'parser.add_argument("--extra"'
    further = "".join(f'parser.add_argument("--{word}", type=int)\n' for word in ("bounces", "frame"))
    lit = "light * (1 - (0.5 if a.frame < 6 else 0.02) * 0.2 ** (a.bounces - 1))"
    draw = f'say("ready now")\ndraw(a.width, a.height, lambda light, x, y: {lit})\n'
    script.write_text(DRAW.replace(extra, further + extra) + draw)
    text = path.read_text().replace(str(folder / "good.py"), str(script)) + BOUNCES
    path.write_text(text.replace('"{settings}"]', '"--frame", "{frame}", "{settings}"]'))
    return path
