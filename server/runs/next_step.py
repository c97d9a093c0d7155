"""What to check next for a run that came out wrong: the core's advice, with what the engine's definition knows."""

from __future__ import annotations

from matchedpair.errors import InputError, SettingsError
from matchedpair.queue.next_step import steps_for

from server.catalogue.engines import engine_named
from server.runs.models import Run


def next_steps(run: Run) -> list[str]:
    """Advice in plain sentences; empty when there is none."""
    codes = [check["code"] for check in run.checks]
    return steps_for(codes, switched_off=_switched_off(run) if "identical" in codes else (), reason=run.reason)


def _switched_off(run: Run) -> list[str]:
    """Titles of the settings that effects under test need and that this option has off."""
    option = run.option
    tested = {name for level in option.levels for name in level["names"]}
    try:
        engine = engine_named(option.engine)
        effects = [effect for effect in engine.effects if tested & set(effect.needs)]
        off = [name for effect in effects for name in engine.switched_off(effect, option.settings)]
        return list(dict.fromkeys(engine.setting(name).title for name in off))
    except (InputError, SettingsError):
        return []
