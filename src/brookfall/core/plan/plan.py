"""The plan: what will be tested, how, and against which limits. Locked before anything is run."""

from itertools import pairwise
from typing import Annotated, Final, Literal

from pydantic import BaseModel, ConfigDict, Field, JsonValue, field_validator, model_validator

from brookfall.core.judge.policy import Policy
from brookfall.core.recipe.families import families
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.resample.declared import Folds, Given, Shares

DecidingPart = Literal["out_of_fold", "validation", "test"]
Harm = Literal["unequal_shares", "passed_over", "picked", "meaning"]
Contrast = Literal["ratio", "difference"]
Compared = Literal["selection_rate", "true_positive_rate", "false_positive_rate", "positive_predictive_value"]
USUAL_HARMS: tuple[Harm, ...] = ("unequal_shares", "passed_over", "picked")
"""What is judged where the reviewer has not said what harm matters (common practice)."""


class InUse(BaseModel):
    """The version in use that the submitted one would take the place of: its recipe is refitted on the same rows.

    ``features`` are those it learns from; None for the submitted version's.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    version: str = Field(min_length=1, max_length=200)
    recipe: Recipe
    features: tuple[str, ...] | None = None


class OwnChallenger(BaseModel):
    """A challenger of the reviewer's own: a recipe under a name by which estimates and charts call it."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: str = Field(min_length=1, max_length=80)
    recipe: Recipe


PLAN_REVISION: Final = 2
"""The revision of plans that are written; see ``revisions`` for those that are read."""


def _is_none(value: object) -> bool:
    """What is left out then: plans under the built-in policy read as they did before a house could have its own."""
    return value is None


class Plan(BaseModel):
    """Everything a run depends on beside the package."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    revision: Literal[2] = PLAN_REVISION
    seed: int = Field(ge=0, lt=2**32)
    parts: Annotated[Shares | Given, Field(discriminator="kind")]
    cross_validation: Folds
    splits: int = Field(default=100, ge=10, le=1000, description="random splits over which the measure is spread")
    shuffles: int = Field(default=50, ge=20, le=1000, description="shuffled outcomes, and resamples for optimism")
    main_measure: str = Field(default="auc", max_length=80, description="a measure that the outcome has")
    deciding_part: DecidingPart = "out_of_fold"
    threshold: float | None = Field(
        default=None,
        allow_inf_nan=False,
        description="a yes/no is positive when its score is at least this; only where the owner declared none",
    )
    capacity: float | None = Field(
        default=None,
        gt=0,
        lt=100,
        allow_inf_nan=False,
        description="at most so many per cent of the cases can be acted on, as the brief says",
    )
    references: dict[str, str] = Field(
        default_factory=dict, description="reference group by attribute; else everyone else"
    )
    harms: tuple[Harm, ...] = Field(
        default=USUAL_HARMS,
        description="what harm matters to people: unequal shares, being wrongly passed over, being wrongly picked, a "
        "score that means different things; the criteria that groups are judged by follow from it",
    )
    contrasts: dict[Compared, Contrast] = Field(
        default_factory=dict,
        description="by what a group's rate is set against that of others, where it is not the usual way: shares "
        "selected and predictive values by ratio, true and false positive rates by difference, rare ones by ratio",
    )
    harm_reason: str = Field(default="", max_length=2000, description="why these harms; the report shows it")
    bands: dict[str, tuple[float, ...]] = Field(
        default_factory=dict, description="cuts between the bands of a protected number; else usual ones"
    )
    merged: dict[str, tuple[tuple[str, ...], ...]] = Field(
        default_factory=dict, description="levels of a protected attribute that are taken as one group"
    )
    ratio_to: str | None = Field(default=None, description="feature of a choice that the others are weighed in")
    settings: dict[str, dict[str, JsonValue]] = Field(
        default_factory=dict, description="settings of checks that have no field of their own here, by the check's name"
    )
    challengers: Literal["default", "tuned"] = Field(default="default", description="tuned: inside each fold's rows")
    own_challengers: tuple[OwnChallenger, ...] = Field(
        default=(), max_length=8, description="recipes of the reviewer's own that the submitted one is set against"
    )
    in_use: InUse | None = Field(default=None, description="the version that the submitted one is set against")
    checks: tuple[str, ...] = Field(description="the names of the checks that are on")
    statements: tuple[str, ...] = Field(
        default=(),
        max_length=20,
        description="what the reviewer judges in writing, by name; the policy says what each asks",
    )
    policy: Policy
    house: Policy | None = Field(
        default=None,
        exclude_if=_is_none,
        description="the house's policy that the plan was made under, which its limits may depart from; none is the "
        "built-in one of the tier",
    )
    overrides: dict[str, str] = Field(
        default_factory=dict,
        description="why limits depart from the policy, by the limit's name (`gap`; `limits.` before that of a check)",
    )
    split_reason: str = Field(
        default="", max_length=2000, description="why rows that a column orders in time are split at random"
    )
    target_observed: str = Field(default="", max_length=2000, description="how the target came to be observed")

    @field_validator("harms")
    @classmethod
    def _some_harm(cls, harms: tuple[Harm, ...]) -> tuple[Harm, ...]:
        if not harms:
            raise ValueError("at least one harm must matter; leave the check out to judge by none")
        return tuple(dict.fromkeys(harms))

    @field_validator("own_challengers")
    @classmethod
    def _named_apart(cls, found: tuple[OwnChallenger, ...]) -> tuple[OwnChallenger, ...]:
        names = [one.name for one in found]
        taken = {*names} & {"recipe", "scores", "baseline", "artifact", "in_use", *families()}
        if taken or len(set(names)) < len(names):
            raise ValueError(f"the name {min(taken or names)} of a challenger is taken; give each one of its own")
        return found

    @field_validator("bands")
    @classmethod
    def _rising(cls, bands: dict[str, tuple[float, ...]]) -> dict[str, tuple[float, ...]]:
        for name, cuts in bands.items():
            if not 1 <= len(cuts) <= 20 or any(low >= high for low, high in pairwise(cuts)):
                raise ValueError(f"{name} needs 1 to 20 cuts that rise")
        return bands

    @field_validator("merged")
    @classmethod
    def _merged_once(cls, merged: dict[str, tuple[tuple[str, ...], ...]]) -> dict[str, tuple[tuple[str, ...], ...]]:
        for name, sets in merged.items():
            levels = [level for one in sets for level in one]
            if len(set(levels)) < len(levels) or any(len(one) < 2 for one in sets):
                raise ValueError(f"{name}: each merged group holds two levels or more, and a level is merged once")
        return merged

    @field_validator("checks")
    @classmethod
    def _some_check_once(cls, checks: tuple[str, ...]) -> tuple[str, ...]:
        if not checks:
            raise ValueError("at least one check must be on")
        return tuple(dict.fromkeys(checks))

    @model_validator(mode="after")
    def _statements_of_the_policy(self) -> "Plan":
        known = [one.name for one in self.policy.statements]
        unknown = sorted({*self.statements} - {*known})
        if unknown:
            there = f"it asks for {', '.join(known)}" if known else "it asks for none"
            raise ValueError(f"statements: the policy does not say what '{unknown[0]}' asks; {there}")
        return self

    @model_validator(mode="after")
    def _deciding_part_exists(self) -> "Plan":
        if self.deciding_part == "validation" and isinstance(self.parts, Shares) and self.parts.validation is None:
            raise ValueError("validation decides, and the split has no validation part")
        return self
