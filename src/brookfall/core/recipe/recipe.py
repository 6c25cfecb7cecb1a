"""A recipe: everything needed to fit the model again, and nothing that is not."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field


class Preprocess(BaseModel):
    """How gaps, scales and levels are treated. All of it is learned from the training rows of each fit.

    rare: levels held by a smaller share of the training rows are joined into one; 0 joins none.
    text: whether free text is left out or its words are weighed (TF-IDF); its entries are never levels.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    missing: Literal["drop", "median", "mean", "mode", "constant", "indicator"] = "median"
    scale: Literal["none", "standard", "minmax", "robust"] = "none"
    encode: Literal["onehot", "ordinal", "target"] = "onehot"
    rare: float = Field(default=0.0, ge=0, lt=0.5)
    text: Literal["left_out", "words"] = "left_out"


class Split(BaseModel):
    """How the owner says the rows were split."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    test: float = Field(gt=0, lt=1)
    seed: int = 0
    stratified: bool = True


class Recipe(BaseModel):
    """family and settings are checked against the registry of families (``families.check_recipe``)."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    family: str
    settings: dict[str, object] = Field(default_factory=dict)
    preprocess: Preprocess = Preprocess()
    threshold: float | None = Field(
        default=None, allow_inf_nan=False, description="positive when score ≥ threshold; none is invented"
    )
    seed: int = Field(default=0, ge=0, lt=2**32)
    split: Split | None = None
