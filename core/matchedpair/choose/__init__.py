"""Choosing: limits, ranking, what matters, forecast, where it fails, and the recipe."""

from matchedpair.choose.deciding import Candidate, Decision, Moved, Standing, decide, ranked_by
from matchedpair.choose.effects import Effect, Interaction, Response, by_weight, interactions, main_effects
from matchedpair.choose.failing import Failure, Held, failures
from matchedpair.choose.forecast import Assumptions, Forecast, FrameTime, Saving, forecast, saving
from matchedpair.choose.over_scenes import OverScenes, over_scenes
from matchedpair.choose.recipe import (
    Difference,
    Recipe,
    RecipeUse,
    as_table,
    differences,
    read_recipe,
    recipe_json,
    recipe_of,
    recipe_toml,
    settings_for,
)
from matchedpair.choose.uses import LIMITS, STARTING_USES, Checked, LimitKind, Use, check

__all__ = [
    "LIMITS", "STARTING_USES", "Assumptions", "Candidate", "Checked", "Decision", "Difference", "Effect", "Failure",
    "Forecast", "FrameTime", "Held", "Interaction", "LimitKind", "Moved", "OverScenes", "Recipe", "RecipeUse",
    "Response", "Saving", "Standing", "Use", "as_table", "by_weight", "check", "decide", "differences", "failures",
    "forecast", "interactions", "main_effects", "over_scenes", "ranked_by", "read_recipe", "recipe_json", "recipe_of",
    "recipe_toml", "saving", "settings_for",
]  # fmt: skip
