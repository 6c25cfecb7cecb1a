"""The kinds of outcome that a model can have."""

from typing import Literal

Outcome = Literal["binary", "multiclass", "number", "choice"]
OUTCOMES: tuple[Outcome, ...] = ("binary", "multiclass", "number", "choice")
OUTCOME_WORDS: dict[Outcome, str] = {
    "binary": "yes/no",
    "multiclass": "several classes",
    "number": "number",
    "choice": "choice",
}
"""What each is called."""
