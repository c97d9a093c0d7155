"""Questions, plans of many renders, what they cost, and how they are trimmed to a budget."""

from matchedpair.plans.budget import RULES, BudgetRow, Trimmed, position_of, trim
from matchedpair.plans.estimate import Estimate, KnownCost, PlanCost, estimate, plan_cost, scatter_among
from matchedpair.plans.levels import ladder, same_work, through_range
from matchedpair.plans.plan import (
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
from matchedpair.plans.plan_kind import PLAN_KINDS, PlanKind, is_place, kind_named, kind_problem
from matchedpair.plans.questions import QUESTIONS, Question, question_named
from matchedpair.plans.until_sure import UntilSure, needs_more

__all__ = [
    "CONTROL",
    "FIRST_SEED",
    "PLAN_KINDS",
    "QUESTIONS",
    "RULES",
    "TRIAL",
    "WARM_UP_SEED",
    "BudgetRow",
    "Estimate",
    "KnownCost",
    "PlanCost",
    "PlanKind",
    "PlanOption",
    "PlannedRun",
    "Question",
    "Trimmed",
    "UntilSure",
    "combinations",
    "controls",
    "estimate",
    "is_place",
    "kind_named",
    "kind_problem",
    "ladder",
    "needs_more",
    "plan_cost",
    "position_of",
    "question_named",
    "render_order",
    "same_work",
    "scatter_among",
    "through_range",
    "trim",
]
