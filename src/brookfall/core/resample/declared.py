"""How rows are split and folded, as a plan declares it."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from brookfall.core.resample.parts import By


class _Declared(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Shares(_Declared):
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


class Given(_Declared):
    """Parts as the data's own column names them."""

    kind: Literal["given"] = "given"


FoldKind = Literal["k_fold", "leave_one_out", "random_splits", "bootstrap"]


class Folds(_Declared):
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
