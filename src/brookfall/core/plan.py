"""The plan: what will be tested, how, and against which limits. Locked before anything is run."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from brookfall.core.judge.policy import STANDARD_PLANS, Policy, default_policy

CHECKS = (
    "profile",
    "claims",
    "holdout",
    "cross_validation",
    "threshold",
    "gap",
    "baseline",
    "selection",
    "selection_pairs",
    "errors",
    "errors_pairs",
)
"""Every check, in the order of the seven questions."""

MainMeasure = Literal["auc", "accuracy", "brier"]
DecidingPart = Literal["out_of_fold", "validation", "test"]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Shares(_Part):
    """Parts by shares in percent, asked for directly; two or three that add up to 100."""

    kind: Literal["shares"] = "shares"
    training: float = Field(gt=0, lt=100)
    validation: float | None = Field(default=None, gt=0, lt=100)
    test: float = Field(gt=0, lt=100)
    stratified: bool = True

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


class Folds(_Part):
    folds: int = Field(ge=2, le=50)
    repeats: int = Field(ge=1, le=20)
    stratified: bool = True


class Plan(BaseModel):
    """Everything a run depends on beside the package."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    seed: int = Field(ge=0, lt=2**32)
    parts: Annotated[Shares | Given, Field(discriminator="kind")]
    cross_validation: Folds
    main_measure: MainMeasure = "auc"
    deciding_part: DecidingPart = "out_of_fold"
    references: dict[str, str] = Field(default_factory=dict, description="reference group by attribute; else largest")
    checks: tuple[str, ...] = CHECKS
    policy: Policy

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


DEFAULT_SEED = 20417


def standard_plan(tier: int, *, given_parts: bool, policy: Policy | None = None) -> Plan:
    """The standard plan of a tier; with a part column the data's own parts are used."""
    standard = STANDARD_PLANS[tier]
    return Plan(
        seed=DEFAULT_SEED,
        parts=Given() if given_parts else Shares(**standard.shares),
        cross_validation=Folds(folds=standard.folds, repeats=standard.repeats),
        policy=policy or default_policy(tier),
    )
