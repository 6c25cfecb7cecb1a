"""Signs that the trade expects, and what is said of them."""

from brookfall.core.check.check import Draft
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.foundation import wording

SIGNS = {"positive": Limit(at_least=0), "negative": Limit(at_most=0)}


def of_signs(draft: Draft, asked: list[tuple[str, int]], coefficients: int) -> str:
    """What is to be said of the signs that were expected: names with the places of their judged estimates."""
    if not asked:
        return f"No sign was expected of the {coefficients} coefficients."
    contrary = [name for name, place in asked if draft.standing(place) is Standing.OUTSIDE]
    open_ = [name for name, place in asked if draft.standing(place) not in (Standing.OUTSIDE, Standing.WITHIN)]
    if contrary:
        return f"The sign of {wording.listed(contrary)} is the opposite of what was expected."
    if open_:
        return f"These rows leave the sign of {wording.listed(open_)} open; none is contrary to what was expected."
    return "The coefficient has the expected sign." if len(asked) == 1 else f"All {len(asked)} expected signs hold."
