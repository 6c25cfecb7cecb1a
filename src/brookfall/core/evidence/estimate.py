"""An estimate: a quantity, a comparison and a population, with its interval and how it stands."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.measure.registry import depends_on_threshold

Verdict = Literal["reproduced", "compatible", "not_reproduced", "overstated", "understated", "cannot_be_checked"]
Comparison = Literal["difference", "ratio", "gap", "change", "p_value", "p_value_holm"]
"""How one side is set against another, or the p value of that."""


class Frozen(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Versus(Frozen):
    """The other side of a comparison; exactly one is set. ``rest`` is the ground of which all others are meant."""

    group: dict[str, str] | None = None
    model: str | None = None
    part: str | None = None
    rest: str | None = None

    @model_validator(mode="after")
    def _one_side(self) -> "Versus":
        if sum(side is not None for side in (self.group, self.model, self.part, self.rest)) != 1:
            raise ValueError("exactly one of group, model, part and rest says what the other side is")
        return self


class Labels(Frozen):
    """What tells an estimate from every other of its exhibit."""

    quantity: str
    comparison: Comparison | None = None
    model: str = "recipe"
    part: str | None = None
    repeat: int | None = None
    group: dict[str, str] | None = None
    attribute: str | None = None
    class_: str | None = Field(default=None, alias="class")
    feature: str | None = None
    threshold: float | None = None
    versus: Versus | None = None

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)

    @property
    def joined(self) -> str:
        """Quantity and comparison in one name.

        >>> Labels(quantity="auc", comparison="gap").joined
        'auc_gap'
        """
        return self.quantity if self.comparison is None else f"{self.quantity}_{self.comparison}"

    def id_in(self, check: str) -> str:
        """A readable name made of all that tells it from others, the same over runs and releases.

        The threshold tells nothing of a measure that has none, such as AUC.

        >>> Labels(quantity="auc", part="test", threshold=0.5).id_in("holdout")
        'holdout/auc/recipe/test'
        >>> Labels(quantity="recall", comparison="ratio", group={"sex": "f"}, versus=Versus(rest="sex")).id_in("groups")
        'groups/recall_ratio/recipe/-/sex=f/versus:rest of sex'
        """
        named = [check, self.joined, self.model, self.part or "-"]
        if self.group:
            named.append(_levels(self.group))
        if self.attribute is not None:
            named.append(f"of:{self.attribute}")
        if self.class_ is not None:
            named.append(f"class:{self.class_}")
        if self.feature is not None:
            named.append(f"feature:{self.feature}")
        if self.threshold is not None and (depends_on_threshold(self.quantity) or self.quantity == _NAMED_BY_IT):
            named.append(f"at:{self.threshold:.12g}")
        if self.versus is not None:
            named.append(f"versus:{_other_side(self.versus)}")
        if self.repeat is not None:
            named.append(f"repeat:{self.repeat}")
        return "/".join([one.replace("/", "∕") for one in named])


_NAMED_BY_IT = "base_rate"
"""No threshold changes a base rate, but its name has held one since there are names."""


def _levels(group: dict[str, str]) -> str:
    return ",".join(f"{name}={level}" for name, level in sorted(group.items()))


def _other_side(versus: Versus) -> str:
    if versus.group is not None:
        return _levels(versus.group)
    return f"rest of {versus.rest}" if versus.rest is not None else str(versus.model or versus.part)


class Estimate(Labels):
    """One number with its n and interval; ``value`` is None with the reason in ``note`` when it can't be computed.

    ``measure`` is quantity and comparison in one name. ``few``: too few rows to judge by it. ``leading``: what the
    exhibit's question turns on, and so judged. ``wide_low`` and ``wide_high`` are the simultaneous interval; ``judged``
    says which of the two intervals the standing was read from.
    """

    id: str
    measure: str
    value: float | None
    low: float | None = None
    high: float | None = None
    level: float = 0.95
    n: int
    method: str | None = None
    few: bool = False
    leading: bool = False
    judged: Literal["plain", "simultaneous"] | None = None
    limit: Limit | None = None
    standing: Standing | None = None
    verdict: Verdict | None = None
    note: str | None = None
    wide_low: float | None = None
    wide_high: float | None = None
    wide_level: float | None = None

    @property
    def judged_ends(self) -> tuple[float | None, float | None]:
        """The interval to print: the one that the standing was read from, the plain one where nothing is judged."""
        return (self.wide_low, self.wide_high) if self.judged == "simultaneous" else (self.low, self.high)
