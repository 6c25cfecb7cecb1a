"""The types of ``submission.yaml``. Scalars arrive as text and are read into these."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from brookfall.core.measure.registry import names_for
from brookfall.core.recipe.fitted_model import Graph
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.resample.part_names import part_name
from brookfall.core.table.outcome import OUTCOMES, Outcome
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.roles import Roles


class Declared(BaseModel):
    """What an owner declares: unknown names are errors, nothing changes after reading."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Model(Declared):
    name: str = Field(min_length=1, max_length=120)
    key: str | None = Field(default=None, max_length=80, description="of the model that this is a version of")
    version: str = Field(min_length=1, max_length=40)
    tier: Literal[1, 2, 3]
    outcome: Outcome
    purpose: str = Field(min_length=1)
    owner: str = Field(min_length=1, max_length=120)
    use: str | None = None
    population: str | None = None
    capacity: float | None = Field(
        default=None, gt=0, lt=100, allow_inf_nan=False, description="at most so many per cent of cases can be acted on"
    )

    @field_validator("tier", mode="before")
    @classmethod
    def _tier_as_number(cls, written: object) -> object:
        return int(written) if isinstance(written, str) and written.isdigit() else written


class Data(Declared):
    """One data file. Files of kind ``rows`` are put one under the other; the first says the roles of the columns.

    ``part`` names the part that all rows of the file are, where the parts come as files. ``new_rows`` are scored and
    compared, never learned from; a ``sample`` has columns that the rows lack, joined by ``key``.
    """

    name: str
    path: str
    roles: Roles = Roles()
    read: HowRead = HowRead()
    kind: Literal["rows", "new_rows", "sample"] = "rows"
    part: str | None = None
    key: str | None = None

    @field_validator("part")
    @classmethod
    def _mapped_part(cls, part: str | None) -> str | None:
        return None if part is None else part_name(part)

    @model_validator(mode="after")
    def _sample_has_key(self) -> "Data":
        if self.kind == "sample" and self.key is None:
            raise ValueError(f"the sample {self.name} names no key by which its rows are joined")
        return self


class Artifact(Declared):
    """The fitted model. ``graph`` is written down when it is read; what an owner says there is not looked at."""

    path: str
    graph: Graph | None = None


class Predictions(Declared):
    path: str
    data: str | None = None
    key: str | None = None
    score: str | None = None
    scores: dict[str, str] | None = None
    value: str | None = None
    label: str | None = None
    part: str | None = None


class Claim(Declared):
    """One claimed figure. ``value`` keeps the decimals it was written with; ``class`` is of one class alone."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)

    measure: str
    value: str
    part: str | None = None
    method: Literal["cross_validation"] | None = None
    folds: int | None = Field(default=None, ge=2)
    threshold: float | None = Field(default=None, allow_inf_nan=False)
    class_: str | None = Field(default=None, alias="class")
    n: int | None = Field(default=None, ge=1, description="on how many rows it was measured")

    @field_validator("measure")
    @classmethod
    def _known_measure(cls, measure: str) -> str:
        known = list(dict.fromkeys(name for outcome in OUTCOMES for name in names_for(outcome)))
        if measure not in known:
            raise ValueError(f"'{measure}' is not a measure; measures are {', '.join(known)}")
        return measure

    @field_validator("value")
    @classmethod
    def _number_as_text(cls, value: str) -> str:
        try:
            float(value)
        except ValueError:
            raise ValueError(f"'{value}' is not a number") from None
        return value

    @field_validator("part")
    @classmethod
    def _mapped_part(cls, part: str | None) -> str | None:
        return None if part is None else part_name(part)

    @property
    def decimals(self) -> int:
        return len(self.value.partition(".")[2])

    @property
    def where(self) -> str:
        """The part or method in words."""
        if self.method == "cross_validation":
            return f"cross-validation, {self.folds or 10} folds"
        return self.part or "all"


class Expectation(Declared):
    feature: str
    sign: Literal["positive", "negative"]


class Submission(Declared):
    """``submission.yaml`` as a whole."""

    brookfall: Literal[1]
    model: Model
    data: tuple[Data, ...] = Field(min_length=1)
    recipe: Recipe | None = None
    artifact: Artifact | None = None
    predictions: tuple[Predictions, ...] = ()
    claims: tuple[Claim, ...] = Field(default=(), max_length=200)
    expectations: tuple[Expectation, ...] = ()
    changeable: tuple[str, ...] = Field(
        default=(),
        max_length=50,
        description="columns that can be other than they are, to be asked what would change a decision",
    )
    re_review: str | None = Field(
        default=None, max_length=5_000, description="why a version that was approved is reviewed again, on these rows"
    )

    @property
    def refits(self) -> bool:
        """Whether anything is to be fitted or asked for scores, which takes features; supplied scores alone don't."""
        return self.recipe is not None or self.artifact is not None or not self.predictions

    @property
    def scores_alone(self) -> bool:
        """Whether neither a recipe nor a fitted model came beside supplied scores."""
        return self.recipe is None and self.artifact is None and bool(self.predictions)

    @model_validator(mode="after")
    def _first_says_roles(self) -> "Submission":
        if self.data[0].kind != "rows":
            raise ValueError("the first data file must hold the rows under review")
        if self.predictions and not self.data[0].roles.target:
            raise ValueError("supplied scores are scores of a target, and no column is named as the target under roles")
        if len({entry.name for entry in self.data}) < len(self.data):
            raise ValueError("two data files have the same name")
        return self

    @field_validator("brookfall", mode="before")
    @classmethod
    def _format_number(cls, written: object) -> object:
        return int(written) if isinstance(written, str) and written.isdigit() else written
