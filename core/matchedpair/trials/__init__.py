"""Plans, the match sheet, and what to do next with a queue of runs."""

from matchedpair.trials.finding import pair_finding
from matchedpair.trials.match_sheet import CONDITIONS, Condition, MatchSheet, match_sheet
from matchedpair.trials.plan import CONTROL, TRIAL, PlannedRun, on_off_plan
from matchedpair.trials.queue import Instruction, QueueRow, next_instructions
from matchedpair.trials.scene import AS_IS, Scene, parse_scene, read_scene, read_scenes
from matchedpair.trials.setup import DEPTHS, FORMATS, Setup, crop_problem, require_fits, setup_problems
from matchedpair.trials.stresses import Stress, read_stresses
from matchedpair.trials.time_left import RunningTime, time_left

__all__ = [
    "AS_IS",
    "CONDITIONS",
    "CONTROL",
    "DEPTHS",
    "FORMATS",
    "TRIAL",
    "Condition",
    "Instruction",
    "MatchSheet",
    "PlannedRun",
    "QueueRow",
    "RunningTime",
    "Scene",
    "Setup",
    "Stress",
    "crop_problem",
    "match_sheet",
    "next_instructions",
    "on_off_plan",
    "pair_finding",
    "parse_scene",
    "read_scene",
    "read_scenes",
    "read_stresses",
    "require_fits",
    "setup_problems",
    "time_left",
]
