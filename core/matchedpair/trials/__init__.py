"""Plans, the match sheet, and what the runner does next."""

from matchedpair.trials.bench import Bench, Ended, Instruction, Looked, QueueRow
from matchedpair.trials.budget import RULES, BudgetRow, Trimmed, position_of, trim
from matchedpair.trials.conditions import CONDITIONS
from matchedpair.trials.estimate import Estimate, KnownCost, PlanCost, estimate, plan_cost
from matchedpair.trials.levels import ladder, same_work, through_range
from matchedpair.trials.match_sheet import Condition, MatchSheet, denoisers_on, is_denoiser, match_sheet, merged_sheet
from matchedpair.trials.plan import (
    CONTROL,
    FIRST_SEED,
    TRIAL,
    WARM_UP_SEED,
    PlannedRun,
    PlanOption,
    combinations,
    controls,
    render_order,
)
from matchedpair.trials.plan_kind import PLAN_KINDS, PlanKind, is_place, kind_named, kind_problem
from matchedpair.trials.questions import QUESTIONS, Question, question_named
from matchedpair.trials.scene import AS_IS, Scene, parse_scene, read_scene, read_scenes
from matchedpair.trials.setup import DEPTHS, FORMATS, Setup, crop_problem, require_fits, setup_problems
from matchedpair.trials.stresses import Stress, read_stresses
from matchedpair.trials.time_left import RunningTime, time_left
from matchedpair.trials.until_sure import UntilSure, needs_more

__all__ = [
    "AS_IS",
    "CONDITIONS",
    "CONTROL",
    "DEPTHS",
    "FIRST_SEED",
    "FORMATS",
    "PLAN_KINDS",
    "QUESTIONS",
    "RULES",
    "TRIAL",
    "WARM_UP_SEED",
    "Bench",
    "BudgetRow",
    "Condition",
    "Ended",
    "Estimate",
    "Instruction",
    "KnownCost",
    "Looked",
    "MatchSheet",
    "PlanCost",
    "PlanKind",
    "PlanOption",
    "PlannedRun",
    "Question",
    "QueueRow",
    "RunningTime",
    "Scene",
    "Setup",
    "Stress",
    "Trimmed",
    "UntilSure",
    "combinations",
    "controls",
    "crop_problem",
    "denoisers_on",
    "estimate",
    "is_denoiser",
    "is_place",
    "kind_named",
    "kind_problem",
    "ladder",
    "match_sheet",
    "merged_sheet",
    "needs_more",
    "parse_scene",
    "plan_cost",
    "position_of",
    "question_named",
    "read_scene",
    "read_scenes",
    "read_stresses",
    "render_order",
    "require_fits",
    "same_work",
    "setup_problems",
    "through_range",
    "time_left",
    "trim",
]
