"""Plans, the match sheet, and what to do next with a queue of runs."""

from matchedpair.trials.finding import pair_finding
from matchedpair.trials.match_sheet import CONDITIONS, Condition, MatchSheet, match_sheet
from matchedpair.trials.plan import CONTROL, TRIAL, PlannedRun, on_off_plan
from matchedpair.trials.queue import Instruction, QueueRow, next_instructions
from matchedpair.trials.scene import Scene, read_scene, read_scenes
from matchedpair.trials.time_left import RunningTime, time_left

__all__ = [
    "CONDITIONS",
    "CONTROL",
    "TRIAL",
    "Condition",
    "Instruction",
    "MatchSheet",
    "PlannedRun",
    "QueueRow",
    "RunningTime",
    "Scene",
    "match_sheet",
    "next_instructions",
    "on_off_plan",
    "pair_finding",
    "read_scene",
    "read_scenes",
    "time_left",
]
