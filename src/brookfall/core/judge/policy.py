"""What a house asks of its models, by tier: the limits and the standard plan."""

from collections.abc import Collection
from typing import Literal, Self

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from brookfall.core.evidence.limit import Limit
from brookfall.core.judge.grounds import Grounds, GroundWords
from brookfall.core.judge.requirements import RequirementList

CONVENTIONS = ("above the threshold only", "the other class as positive", "classes weighted by rows", "all rows pooled")
"""Ways to take a measure that are not this program's, in the order in which they are tried."""


class StatementDue(BaseModel):
    """What the reviewer must judge in writing: one of the seven questions, its title, and what is asked in full."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: str = Field(pattern="^[a-z][a-z_]{0,39}$")
    question: int = Field(ge=1, le=7)
    title: str = Field(min_length=1, max_length=120)
    asks: str = Field(min_length=1, max_length=1000)


CONCEPT = StatementDue(
    name="concept",
    question=7,
    title="Soundness of the concept",
    asks="Would the trade accept the reasoning from these features to this outcome, and is this outcome what the use "
    "needs? Which assumptions does it rest on, and what was considered instead?",
)
ORIGIN = StatementDue(
    name="origin",
    question=1,
    title="Where the features come from",
    asks="Where does each feature come from, who enters it, and is it known, in this form, when the model is asked?",
)
USE = StatementDue(
    name="use",
    question=7,
    title="Intended use",
    asks="Who acts on the output and how, on whom, and what must it not be used for? Do these rows stand for those "
    "people and that time?",
)
STATEMENTS_DUE: dict[int, tuple[StatementDue, ...]] = {1: (ORIGIN, CONCEPT, USE), 2: (CONCEPT, USE), 3: (USE,)}
"""What the built-in policy asks in writing, by tier (common practice)."""


ROWS_KEPT_YEARS = {1: 7, 2: 5, 3: 3}
"""How long a decided case keeps its rows at least, in years, by tier (common practice: longer than an approval)."""


APPROVED_YEARS = {1: 1, 2: 2, 3: 3}
"""How long an approval lasts, in years, by tier (common practice)."""


class Materiality(BaseModel):
    """By how much libraries may differ on the same scores, which is no fault of a claim (common practice)."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    bounded: float = Field(default=0.0005, ge=0, lt=0.1, description="of measures in 0 to 1")
    share: float = Field(default=0.0005, ge=0, lt=0.1, description="of other measures, as a share of the claimed value")


MATERIALITY = Materiality()
DAYS_TO_ANSWER = 14
"""Within how many days an owner answers (common practice)."""


def _is_nothing(said: Collection[object]) -> bool:
    return not said


def _is_built_in(value: object) -> bool:
    return value in (MATERIALITY, DAYS_TO_ANSWER)


class Policy(BaseModel):
    """The limits of one tier. Every default is common practice; an administrator may set others."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    revision: Literal[2] = 2
    name: str = "Built-in policy"
    tier: int
    level: float = Field(default=0.95, gt=0.5, lt=1)
    alone: Limit = Limit(at_most=0.95)
    psi: Limit = Limit(at_most=0.25, ideal=0)
    gap: Limit = Limit(at_most=0.05, ideal=0)
    gap_r2: Limit = Limit(at_most=0.10, ideal=0)
    gap_loss: Limit = Limit(at_most=0.10, ideal=0)
    capacity: Limit = Limit(at_most=1.0, ideal=0)
    shuffled_p: Limit = Limit(at_most=0.05)
    fold_sd_ratio: Limit = Limit(at_most=2, ideal=1)
    observed_over_expected: Limit = Limit(at_least=0.8, at_most=1.25, ideal=1)
    calibration_slope: Limit = Limit(at_least=0.8, at_most=1.25, ideal=1)
    mean_error_in_sd: Limit = Limit(at_least=-0.1, at_most=0.1, ideal=0)
    net_benefit: Limit = Limit(at_least=0, ideal=0)
    selected_over_capacity: Limit = Limit(at_most=1.1, ideal=1)
    percentile: Limit = Limit(at_most=95, ideal=50)
    better_than_baseline: Limit = Limit(at_least=0, burden="model")
    worse_than_challenger: Limit = Limit(at_least=-0.02, ideal=0)
    segment_worse: Limit = Limit(at_least=-0.1, ideal=0)
    segment_ratio: Limit = Limit(at_most=1.25, ideal=1)
    group_ratio: Limit = Limit(at_least=0.8, at_most=1.25, ideal=1)
    group_difference: Limit = Limit(at_least=-0.1, at_most=0.1, ideal=0)
    group_ratio_of_rare: Limit = Limit(at_least=0.5, at_most=2, ideal=1)
    group_mean_error_in_sd: Limit = Limit(at_least=-0.1, at_most=0.1, ideal=0)
    group_slope: Limit = Limit(at_least=0.8, at_most=1.25, ideal=1)
    conventions: tuple[str, ...] = Field(
        default=CONVENTIONS, description="what is tried where a claim on the very same scores comes out otherwise"
    )
    materiality: Materiality = Field(
        default=MATERIALITY,
        exclude_if=_is_built_in,
        description="what is taken for the same figure where a claim is computed on the very same scores",
    )
    limits: dict[str, Limit] = Field(
        default_factory=dict, description="limits of checks that have none of their own above, by the check's name"
    )
    grounds: tuple[str, ...] = ("age", "disability", "ethnic group", "pregnancy", "religion", "sex")
    ground_words: dict[str, GroundWords] = Field(
        default_factory=dict,
        exclude_if=_is_nothing,
        description="by the name of a ground, the words of the house by which its columns and levels are known",
    )
    statements: tuple[StatementDue, ...] = Field(
        default=(), max_length=20, description="what the reviewer must judge in writing, as no computation answers it"
    )

    requirements: tuple[RequirementList, ...] = Field(
        default=(), max_length=20, exclude_if=_is_nothing, description="what is asked from outside, by its source"
    )
    approved_years: int = Field(
        default_factory=lambda before: APPROVED_YEARS.get(before["tier"], 1),
        ge=1,
        le=100,
        description="how long an approval lasts from its countersignature, in years; by the tier where it is not said",
    )
    days_to_answer: int = Field(
        default=DAYS_TO_ANSWER,
        ge=1,
        le=365,
        exclude_if=_is_built_in,
        description="within how many days an owner answers a finding, a question, or that monitoring broke a limit",
    )
    rows_kept_years: int = Field(
        default_factory=lambda before: ROWS_KEPT_YEARS.get(before["tier"], 7),
        ge=0,
        le=100,
        description="how long a decided case keeps its rows, at least, in years; by the tier where it is not said",
    )

    @property
    def listed(self) -> Grounds:
        """The grounds, and by what each is known."""
        return Grounds(self.grounds, self.ground_words)

    @model_validator(mode="after")
    def _words_of_grounds(self) -> Self:
        for ground in self.ground_words:
            if ground not in self.grounds:
                raise ValueError(f"ground_words has '{ground}', which is not among the grounds")
        return self

    @field_validator("statements")
    @classmethod
    def _named_apart(cls, due: tuple[StatementDue, ...]) -> tuple[StatementDue, ...]:
        if len({one.name for one in due}) < len(due):
            raise ValueError("each statement due needs a name of its own")
        return due


class StandardPlan(BaseModel):
    """Shares of the parts, the size of the cross-validation, and how many random splits and shuffles a tier asks."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    shares: dict[Literal["training", "validation", "test"], float] = Field(description="per cent, adding up to 100")
    folds: int = Field(ge=2, le=50)
    repeats: int = Field(ge=1, le=20)
    splits: int = Field(ge=10, le=1000)
    shuffles: int = Field(ge=20, le=1000)


STANDARD_PLANS: dict[int, StandardPlan] = {
    1: StandardPlan(
        shares={"training": 60, "validation": 20, "test": 20}, folds=10, repeats=3, splits=200, shuffles=100
    ),
    2: StandardPlan(shares={"training": 70, "test": 30}, folds=10, repeats=1, splits=100, shuffles=50),
    3: StandardPlan(shares={"training": 70, "test": 30}, folds=5, repeats=1, splits=50, shuffles=20),
}


def default_policy(tier: int) -> Policy:
    """The built-in policy of a tier (1 high stakes … 3 low).

    >>> default_policy(1).gap.words
    '≤ 0.05'
    """
    return Policy(tier=tier, statements=STATEMENTS_DUE.get(tier, ()))
