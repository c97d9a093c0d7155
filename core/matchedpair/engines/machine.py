"""Describes the machine a render runs on."""

from __future__ import annotations

import os
import platform
from dataclasses import dataclass
from pathlib import Path

import psutil


@dataclass(frozen=True)
class Machine:
    """A machine by name, processor, cores it may use, memory in bytes, and system."""

    name: str
    processor: str
    cores: int
    memory_bytes: int
    system: str


def describe_machine() -> Machine:
    """This machine."""
    return Machine(
        name=os.environ.get("MATCHEDPAIR_MACHINE") or platform.node() or "unnamed machine",
        processor=_processor(),
        cores=len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1,
        memory_bytes=psutil.virtual_memory().total,
        system=f"{platform.system()} {platform.release()}",
    )


def load_now() -> float:
    """Processes ready to run, averaged over the last minute."""
    return psutil.getloadavg()[0]


def _processor() -> str:
    try:
        for line in Path("/proc/cpuinfo").read_text(encoding="utf-8").splitlines():
            if line.startswith("model name"):
                return line.partition(":")[2].strip()
    except OSError:
        pass
    return platform.processor() or platform.machine()
