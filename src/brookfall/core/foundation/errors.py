"""Errors that a person can cause and mend."""

_LONGEST, _LONGEST_NAME = 1000, 200
"""Characters of what a message says, and of a name in it: a file may have names of megabytes."""


def readable(words: str, most: int = _LONGEST) -> str:
    r"""Words that can be shown anywhere: without control characters, which would steer a terminal, and not too long.

    >>> readable("abcdefgh", most=4)
    'ab … gh'
    >>> print(readable("red" + chr(27)))
    red\x1b
    """
    if len(words) > most:
        words = f"{words[: most // 2]} … {words[-(most // 2) :]}"
    return "".join(sign if sign.isprintable() or sign == "\n" else ascii(sign)[1:-1] for sign in words)


class UserError(Exception):
    """Something a person sent can't be used: says what is wrong, where, and what to do.

    ``file``, ``column`` and ``row`` (1-based, the header is row 1) are None where they do not apply.
    """

    def __init__(
        self,
        what: str,
        *,
        todo: str,
        file: str | None = None,
        column: str | None = None,
        row: int | None = None,
    ) -> None:
        self.what = readable(what)
        self.todo = readable(todo)
        self.file = file and readable(file, _LONGEST_NAME)
        self.column = column and readable(column, _LONGEST_NAME)
        self.row = row
        super().__init__(str(self))

    @property
    def where(self) -> str:
        """The place in words, such as ``data/homes.csv, column age, row 14``; empty when there is none."""
        places = [self.file, self.column and f"column {self.column}", self.row and f"row {self.row}"]
        return ", ".join(str(place) for place in places if place)

    def __str__(self) -> str:
        return f"{self.where}: {self.what} {self.todo}" if self.where else f"{self.what} {self.todo}"


class StaleError(UserError):
    """Somebody else saved in the meantime; nothing was overwritten."""


class ForbiddenError(UserError):
    """The person may not do this, whatever they send."""


class WrongPasswordError(ForbiddenError):
    """What was to be signed was not, for want of the right password."""


class CodeWantedError(UserError):
    """The password was right, and a code of the second factor is wanted besides."""


class MissingError(UserError):
    """What was asked for does not exist, or not for this person."""
