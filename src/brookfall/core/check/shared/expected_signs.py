"""Signs that the trade expects, and what is said of them."""

from brookfall.core.check.check import Draft
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.foundation import wording

SIGNS = {"positive": Limit(at_least=0, ideal=0), "negative": Limit(at_most=0, ideal=0)}
"""What is shown to have a sign is told from 0; what is not is open."""


def of_signs(draft: Draft, asked: list[tuple[str, int]], coefficients: int) -> str:
    """What is to be said of the signs that were expected: names with the places of their judged estimates."""
    if not asked:
        return f"No sign was expected of the {coefficients} coefficients."
    contrary = [name for name, place in asked if draft.standing(place) is Standing.OUTSIDE]
    open_ = [name for name, place in asked if draft.standing(place) not in (Standing.OUTSIDE, Standing.WITHIN)]
    if contrary:
        signs, are = ("sign", "is") if len(contrary) == 1 else ("signs", "are")
        return f"The {signs} of {_quoted(contrary)} {are} the opposite of what was expected."
    if open_:
        signs = "sign" if len(open_) == 1 else "signs"
        return f"These rows leave the {signs} of {_quoted(open_)} open; none is contrary to what was expected."
    if len(asked) == 1:
        return f"'{asked[0][0]}' has the expected sign."
    return "Both expected signs hold." if len(asked) == 2 else f"All {len(asked)} expected signs hold."


def _quoted(names: list[str]) -> str:
    return wording.listed([f"'{name}'" for name in names])
