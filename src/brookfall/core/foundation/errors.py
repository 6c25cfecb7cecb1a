"""Errors that a person can cause and mend."""


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
        self.what = what
        self.todo = todo
        self.file = file
        self.column = column
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


class MissingError(UserError):
    """What was asked for does not exist, or not for this person."""
