"""What installed packages add by entry points: one rule for measures, checks and families."""

from collections.abc import Iterable
from importlib.metadata import entry_points
from typing import Protocol, TypeVar


class Named(Protocol):
    """Anything that is found by its name."""

    @property
    def name(self) -> str: ...


T = TypeVar("T", bound=Named)


def with_plugins(own: Iterable[T], group: str, kind: type[T]) -> dict[str, T]:
    """Our own by name, then what the entry points of a group name, in the order of the entry points' names.

    Parameters
    ----------
    own
        What this program brings itself.
    group
        The group of entry points. Each names an object of the kind, a list of them, or a class that makes one.
    kind
        What all of them have to be.

    Raises
    ------
    TypeError
        An entry point names something else.
    ValueError
        It takes a name that is taken.

    Examples
    --------
    >>> with_plugins((), "brookfall.nothing", Named)
    {}
    """
    known = {one.name: one for one in own}
    for point in sorted(entry_points(group=group), key=lambda point: point.name):
        brought = point.load()
        for one in brought if isinstance(brought, list | tuple) else (brought,):
            made = one() if isinstance(one, type) else one
            if not isinstance(made, kind):
                raise TypeError(f"the entry point {point.name} of {group} names {one!r}, which is no {kind.__name__}")
            if made.name in known:
                raise ValueError(f"the entry point {point.name} of {group} takes the name {made.name}, which is taken")
            known[made.name] = made
    return known
