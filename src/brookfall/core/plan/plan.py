"""The plan: what will be tested, how, and against which limits. Locked before anything is run."""

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from brookfall.core.judge.policy import STANDARD_PLANS, Policy, default_policy
from brookfall.core.measure.registry import standard_measure
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.resample.parts import By
from brookfall.core.table.outcome import Outcome

CHECKS = (
    "profile",
    "association",
    "leaks",
    "without_leaks",
    "repeats",
    "shift",
    "labels",
    "claims",
    "holdout",
    "cross_validation",
    "threshold",
    "luck",
    "segments",
    "gap",
    "shuffled",
    "complexity",
    "learning",
    "preparation",
    "optimism",
    "trees",
    "baseline",
    "challengers",
    "in_use",
    "groups",
    "combinations",
    "direct_use",
    "proxies",
    "leaving_out",
    "not_collected",
    "group_thresholds",
    "group_versions",
    "coefficients",
    "influence",
    "shape",
    "sensitivity",
    "choice",
)
"""Every check, in the order of the seven questions."""

ONCE_CALLED = {
    "selection": "groups",
    "errors": "groups",
    "selection_pairs": "combinations",
    "errors_pairs": "combinations",
}
"""Names that plan files and scripts may still have."""

_OF_A_CHOICE = ("profile", "association", "leaks", "repeats", "shift", "choice")


def checks_of(outcome: str) -> tuple[str, ...]:
    """The checks that there are for an outcome.

    >>> checks_of("choice")[-1], "choice" in checks_of("binary")
    ('choice', False)
    """
    return _OF_A_CHOICE if outcome == "choice" else tuple(check for check in CHECKS if check != "choice")


DecidingPart = Literal["out_of_fold", "validation", "test"]
Harm = Literal["unequal_shares", "passed_over", "picked", "meaning"]
USUAL_HARMS: tuple[Harm, ...] = ("unequal_shares", "passed_over", "picked")
"""What is judged where the reviewer has not said what harm matters (common practice)."""


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Shares(_Part):
    """Parts by shares in percent, asked for directly; two or three that add up to 100."""

    kind: Literal["shares"] = "shares"
    training: float = Field(gt=0, lt=100)
    validation: float | None = Field(default=None, gt=0, lt=100)
    test: float = Field(gt=0, lt=100)
    stratified: bool = True
    by: By = Field(default="rows", description="groups: whole groups stay together; time: the earliest rows train")

    @model_validator(mode="after")
    def _adds_up(self) -> "Shares":
        total = sum(self.by_part.values())
        if abs(total - 100) > 1e-6:
            raise ValueError(f"the shares add up to {total:g} %, not to 100 %")
        return self

    @property
    def by_part(self) -> dict[str, float]:
        named = {"training": self.training, "validation": self.validation, "test": self.test}
        return {part: share for part, share in named.items() if share is not None}


class Given(_Part):
    """Parts as the data's own column names them."""

    kind: Literal["given"] = "given"


FoldKind = Literal["k_fold", "leave_one_out", "random_splits", "bootstrap"]


class Folds(_Part):
    """How unseen scores are had by refitting.

    ``folds`` are folds, random splits, or bootstrap resamples; ``repeats`` and ``by`` are of k folds, ``test`` is the
    held-out share of a random split in percent. Leave-one-out needs none of them.
    """

    kind: FoldKind = "k_fold"
    folds: int = Field(default=10, ge=2, le=1000)
    repeats: int = Field(default=1, ge=1, le=20)
    stratified: bool = True
    by: By = "rows"
    test: float = Field(default=20, gt=0, lt=100)

    @model_validator(mode="after")
    def _can_be_done(self) -> "Folds":
        if self.kind == "k_fold" and self.folds > 50:
            raise ValueError("at most 50 folds; leave_one_out leaves out every row")
        if self.by == "time" and (self.repeats > 1 or self.kind in ("random_splits", "bootstrap")):
            raise ValueError("folds by time come in one order, so they can't be repeated or drawn at random")
        if self.kind != "k_fold" and self.repeats > 1:
            raise ValueError("only k folds are repeated")
        return self

    @property
    def fits(self) -> int:
        """How many folds there are in all; 0 for leave-one-out, which has as many as rows."""
        return 0 if self.kind == "leave_one_out" else self.folds * self.repeats

    @property
    def words(self) -> str:
        """The folds in words, such as ``10 folds × 3, stratified``."""
        how = {
            "k_fold": f"{self.folds} folds × {self.repeats}",
            "leave_one_out": "leave-one-out",
            "random_splits": f"{self.folds} random splits of {100 - self.test:g}/{self.test:g}",
            "bootstrap": f"{self.folds} bootstrap resamples",
        }[self.kind]
        by = {"rows": "", "groups": ", whole groups", "time": ", forward in time"}[self.by]
        return f"{how}{by}"


class InUse(_Part):
    """The version in use that the submitted one would take the place of: its recipe is refitted on the same rows.

    ``features`` are those it learns from; None for the submitted version's.
    """

    version: str = Field(min_length=1, max_length=200)
    recipe: Recipe
    features: tuple[str, ...] | None = None


class Plan(BaseModel):
    """Everything a run depends on beside the package."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    seed: int = Field(ge=0, lt=2**32)
    parts: Annotated[Shares | Given, Field(discriminator="kind")]
    cross_validation: Folds
    splits: int = Field(default=100, ge=10, le=1000, description="random splits over which the measure is spread")
    shuffles: int = Field(default=50, ge=20, le=1000, description="shuffled outcomes, and resamples for optimism")
    main_measure: str = Field(default="auc", max_length=80, description="a measure that the outcome has")
    deciding_part: DecidingPart = "out_of_fold"
    references: dict[str, str] = Field(default_factory=dict, description="reference group by attribute; else largest")
    harms: tuple[Harm, ...] = Field(
        default=USUAL_HARMS,
        description="what harm matters to people: unequal shares, being wrongly passed over, being wrongly picked, a "
        "score that means different things; the criteria that groups are judged by follow from it",
    )
    harm_reason: str = Field(default="", max_length=2000, description="why these harms; the report shows it")
    bands: dict[str, tuple[float, ...]] = Field(
        default_factory=dict, description="cuts between the bands of a protected number; else usual ones"
    )
    merged: dict[str, tuple[tuple[str, ...], ...]] = Field(
        default_factory=dict, description="levels of a protected attribute that are taken as one group"
    )
    ratio_to: str | None = Field(default=None, description="feature of a choice that the others are weighed in")
    challengers: Literal["default", "tuned"] = Field(default="default", description="tuned: inside each fold's rows")
    in_use: InUse | None = Field(default=None, description="the version that the submitted one is set against")
    checks: tuple[str, ...] = checks_of("binary")
    policy: Policy
    target_observed: str = Field(default="", max_length=2000, description="how the target came to be observed")

    @field_validator("checks", mode="before")
    @classmethod
    def _as_now_called(cls, checks: object) -> object:
        if not isinstance(checks, list | tuple):
            return checks
        return [ONCE_CALLED.get(check, check) if isinstance(check, str) else check for check in checks]

    @field_validator("harms")
    @classmethod
    def _some_harm(cls, harms: tuple[Harm, ...]) -> tuple[Harm, ...]:
        if not harms:
            raise ValueError("at least one harm must matter; leave the check out to judge by none")
        return tuple(dict.fromkeys(harms))

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
    def _known_checks(cls, checks: tuple[str, ...]) -> tuple[str, ...]:
        unknown = [check for check in checks if check not in CHECKS]
        if unknown:
            raise ValueError(f"'{unknown[0]}' is not a check; checks are {', '.join(CHECKS)}")
        if not checks:
            raise ValueError("at least one check must be on")
        return tuple(check for check in CHECKS if check in checks)

    @model_validator(mode="after")
    def _deciding_part_exists(self) -> "Plan":
        if self.deciding_part == "validation" and isinstance(self.parts, Shares) and self.parts.validation is None:
            raise ValueError("validation decides, and the split has no validation part")
        return self


_HIGH_STAKES, _LIGHT = 1, 3
_ONLY_AT_HIGH_STAKES = ("learning", "optimism")
_NOT_IN_A_LIGHT_PLAN = (
    *("without_leaks", "labels", "luck", "segments", "challengers", "shuffled", "complexity", "preparation", "trees"),
    *("shape", "sensitivity", "direct_use", "proxies", "leaving_out", "not_collected", "group_thresholds"),
)
"""Checks that the standard plan of the lowest tier leaves out; they can be switched on."""

DEFAULT_SEED = 20417


def standard_plan(
    tier: int,
    *,
    outcome: Outcome = "binary",
    given_parts: bool,
    grouped: bool = False,
    policy: Policy | None = None,
    in_use: InUse | None = None,
) -> Plan:
    """The standard plan of a tier and outcome; with a part column the data's own parts are used.

    With a version in use the submitted one is set against it. Where a column groups rows, whole groups stay together:
    a row must not be tested by its own group.

    >>> plan = standard_plan(2, outcome="number", given_parts=False)
    >>> plan.main_measure, plan.cross_validation.words
    ('r2', '10 folds × 1')
    """
    standard = STANDARD_PLANS[tier]
    left_out = {
        *(_NOT_IN_A_LIGHT_PLAN if tier >= _LIGHT else ()),
        *(_ONLY_AT_HIGH_STAKES if tier > _HIGH_STAKES else ()),
        *(() if in_use else ("in_use", "group_versions")),
    }
    by: By = "groups" if grouped else "rows"
    return Plan(
        seed=DEFAULT_SEED,
        parts=Given() if given_parts else Shares(**standard.shares, by=by),
        cross_validation=Folds(folds=standard.folds, repeats=standard.repeats, by=by),
        splits=standard.splits,
        shuffles=standard.shuffles,
        main_measure=standard_measure(outcome),
        challengers="tuned" if tier == _HIGH_STAKES else "default",
        in_use=in_use,
        checks=tuple(check for check in checks_of(outcome) if check not in left_out),
        policy=policy or default_policy(tier),
    )
