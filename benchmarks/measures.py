"""All measures of a 4K twin pair with its reference, from files to figures, against one structural similarity.

Also their peak memory, and the time of a small pair inside a process that runs already, as the server is.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from statistics import median

import cv2
import numpy as np
from matchedpair.measures.render import RenderMeasures
from matchedpair.measures.report import measure_files, read_all
from matchedpair.pictures import read_picture, write_exr
from matchedpair.pictures.strips import THREADS
from skimage.metrics import structural_similarity

from benchmarks.figures import Measured, peak_bytes, seconds_of, show
from tests.pictures import noisy, photograph

LARGE, LARGER, SMALL = (3840, 2160), (7680, 4320), (480, 270)
REPEATS, BLURS = 3, 500
MOST_RATIO, MOST_GIGABYTES, MOST_LARGER, MOST_SMALL_SECONDS = 1.3, 1.3, 4.0, 0.4


def run() -> bool:
    """Both in one process, in turn, after one round that is thrown away; memory in a process of its own."""
    with tempfile.TemporaryDirectory() as name:
        files = _files(Path(name))
        ours, theirs = [], []
        for turn in range(REPEATS + 1):
            taken = seconds_of(lambda: measure_files(files[0], twins=[files[1]], reference=files[2]))
            similar = _similarity_seconds(files)
            if turn:
                ours.append(taken)
                theirs.append(similar)
        with_twin = seconds_of(
            lambda: measure_files(files[0], twins=[files[1]], reference=files[2], reference_twin=files[3])
        )
        reading = median(seconds_of(lambda: read_all({str(path): path for path in files[:3]})) for _ in range(REPEATS))
        command = [str(Path(sys.executable).with_name("matchedpair")), "measure", str(files[0]), "--json"]
        command += ["--twin", str(files[1]), "--reference", str(files[2])]
        asked = median(
            seconds_of(lambda: subprocess.run(command, check=True, capture_output=True)) for _ in range(REPEATS)
        )
        peak = _peak(files)
    with tempfile.TemporaryDirectory() as name:
        larger = _peak(_files(Path(name), LARGER))
    small = _small()
    ratios = [mine / other for mine, other in zip(ours, theirs, strict=True)]
    return show(f"All measures of a {LARGE[0]}×{LARGE[1]} twin pair with reference, median of {REPEATS}", [
        Measured("over one structural similarity of the same two pictures", median(ratios), "×", MOST_RATIO),
        Measured("the same with the reference's twin", with_twin / median(theirs), "×"),
        Measured("as a command", asked / median(theirs), "×"),
        Measured("over reading its three files", median(ours) / reading, "×"),
        Measured(f"what {THREADS} threads do over one, blurring within the cache", _threads_over_one(), "×"),
        Measured("peak memory", peak, "GB", MOST_GIGABYTES),
        Measured(f"peak memory of {LARGER[0]}×{LARGER[1]}", larger, "GB", MOST_LARGER),
        Measured(f"a {SMALL[0]}×{SMALL[1]} pair with reference in this process", small, "s", MOST_SMALL_SECONDS),
    ])  # fmt: skip


def _peak(files: list[Path]) -> float:
    """Gigabytes, at most, of a process that measures them and nothing else."""
    command = [sys.executable, "-m", "benchmarks.measures", *map(str, files[:3])]
    return float(subprocess.run(command, capture_output=True, check=True, text=True).stdout)


def _files(folder: Path, size: tuple[int, int] = LARGE) -> list[Path]:
    """Two renders of 10 % noise and two references of 1 %."""
    truth = np.asarray(cv2.resize(photograph(), size, interpolation=cv2.INTER_CUBIC))
    files = []
    for seed, noise in enumerate((0.1, 0.1, 0.01, 0.01)):
        files.append(folder / f"{seed}.exr")
        write_exr(files[-1], noisy(np.maximum(truth, 1e-3), noise, seed))
    return files


def _similarity_seconds(files: list[Path]) -> float:
    """One structural similarity of the two renders, reading them apart."""
    first, second = (read_picture(path).pixels for path in files[:2])
    return seconds_of(lambda: structural_similarity(first, second, channel_axis=2, data_range=1.0))


def _threads_over_one() -> float:
    """How much faster the threads that measure a picture can be than one, at best; processors may share a core."""
    strip = photograph()[:256, :512, 0].astype(np.float32)

    def blur(_: object) -> None:
        for _ in range(BLURS):
            cv2.GaussianBlur(strip, (7, 7), 1.0)

    def together() -> None:
        with ThreadPoolExecutor(THREADS) as pool:
            list(pool.map(blur, range(THREADS)))

    own = cv2.getNumThreads()
    cv2.setNumThreads(1)
    ratios = [THREADS * seconds_of(lambda: blur(None)) / seconds_of(together) for _ in range(REPEATS)]
    cv2.setNumThreads(own)
    return median(ratios)


def _small() -> float:
    truth = np.ascontiguousarray(photograph()[: SMALL[1], : SMALL[0]])
    renders, reference = [noisy(truth, 0.1, seed) for seed in (1, 2)], noisy(truth, 0.01, 3)
    valid = np.ones(truth.shape[:2], dtype=np.bool_)

    def measure() -> None:
        RenderMeasures(renders, valid, references=[reference]).zones([valid])

    measure()
    return median(seconds_of(measure) for _ in range(5))


if __name__ == "__main__":
    render, twin, reference = map(Path, sys.argv[1:])
    measure_files(render, twins=[twin], reference=reference)
    print(peak_bytes() / 1e9)
