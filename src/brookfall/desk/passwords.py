"""How hard a password is to guess, in words; and which are refused."""

from collections.abc import Sequence

from zxcvbn import zxcvbn

from brookfall.core.foundation.errors import UserError
from brookfall.desk.views import PasswordRating

SHORTEST = 10
_LEAST = 3
"""Of zxcvbn's scores from 0 to 4: withstands guesses at a stolen database, whose passwords are slow to try."""
_OWN = 6
"""Letters and digits that a password must have beside the person's own name."""
_LOOKED_AT = 100
"""Letters that are rated: more of them only take time."""
_WORDS = (
    "guessed at once",
    "guessed soon",
    "guessed by whoever tries long enough",
    "hard to guess",
    "very hard to guess",
)


def rate(password: str, about: Sequence[str] = ()) -> PasswordRating:
    """What zxcvbn says of a password of somebody of whom ``about`` is known: their name, say.

    >>> rate("hollinmoor").good, rate("seven grey herons wade").good
    (False, True)
    """
    if len(password) < SHORTEST:
        return PasswordRating(good=False, words=f"shorter than {SHORTEST} characters", advice=[])
    if _beside(password, about) < _OWN:
        return PasswordRating(good=False, words="little but the person's own name", advice=[])
    found = zxcvbn(password[:_LOOKED_AT], user_inputs=list(about), max_length=_LOOKED_AT)
    said = found["feedback"]
    advice = [one for one in (said["warning"], *said["suggestions"]) if one]
    score = int(found["score"])
    return PasswordRating(good=score >= _LEAST, words=_WORDS[score], advice=advice if score < _LEAST else [])


def _beside(password: str, about: Sequence[str]) -> int:
    """How many letters and digits there are beside what is known of the person; zxcvbn counts the gaps between."""
    left = password.lower()
    for word in sorted((one.lower() for one in about), key=len, reverse=True):
        left = left.replace(word, "")
    return sum(sign.isalnum() for sign in left)


def refuse_weak(password: str, about: Sequence[str] = ()) -> str:
    """The password; UserError where it is too short or too easily guessed."""
    rating = rate(password, about)
    if rating.good:
        return password
    if len(password) < SHORTEST:
        raise UserError(f"The password is {rating.words}.", todo="Choose a longer one.")
    why = f" {rating.advice[0].rstrip('.')}." if rating.advice else ""
    raise UserError(f"The password would be {rating.words}.{why}", todo="Choose another: a few words that nobody says.")
