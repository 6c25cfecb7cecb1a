"""Roles that a reviewer gave the columns of one version, for the columns of another."""

from collections.abc import Sequence

from brookfall.core.table.roles import SINGLE, Roles

_LISTS = ("identifier", "protected", "also_features", "ignore")


def carried_roles(given: Roles, declared: tuple[Roles, Roles], names: tuple[Sequence[str], Sequence[str]]) -> Roles:
    """The reviewer's roles where the owner left theirs as they were, and the owner's where they changed them.

    What the owner of the new version declares otherwise than before is part of what they changed in the model, such
    as a column that it learns from no more; what they left alone stays as the reviewer had it. The result may give a
    column two roles, or be none that the table can have: `check_roles` tells.

    Parameters
    ----------
    given
        The reviewer's, of the version before.
    declared
        The owner's, of the version before and of the new one.
    names
        The columns of the version before and of the new one.

    Returns
    -------
    Roles
        For the new version; they name no column that it does not have.

    Examples
    --------
    >>> before, after = Roles(target="y"), Roles(target="y", ignore=("z",))
    >>> given = Roles(target="y", protected=("sex",))
    >>> carried = carried_roles(given, (before, after), (["x", "z", "sex", "y"], ["x", "z", "sex", "y"]))
    >>> carried.protected, carried.ignore
    (('sex',), ('z',))
    """
    old, new = declared
    there = set(names[1])
    changed: dict[str, object] = {}
    for name in SINGLE:
        kept = getattr(given, name)
        if getattr(old, name) != getattr(new, name) or (kept and kept not in there):
            kept = getattr(new, name)
        changed[name] = kept
    same_target = changed["target"] == given.target and old.positive == new.positive
    changed["positive"] = given.positive if same_target else new.positive
    for name in _LISTS:
        changed[name] = _carried(getattr(given, name), getattr(old, name), getattr(new, name), there)
    if given.features is not None:
        come = [column for column in names[1] if column not in names[0]]
        learned = [column for column in new.features_among(names[1]) if column in come]
        # A list of features of the owner's own is theirs to change, as one role is.
        own = (old.features or (), new.features or ()) if old.features is not None and new.features is not None else ()
        kept = _carried(given.features, *own, there) if own else tuple(one for one in given.features if one in there)
        changed["features"] = (*kept, *(column for column in learned if column not in kept))
    for name in ("grounds", "spoken"):
        own_words = {
            column: words for column, words in getattr(new, name).items() if column not in getattr(given, name)
        }
        changed[name] = {**own_words, **{c: words for c, words in getattr(given, name).items() if c in there}}
    return given.model_copy(update=changed)


def _carried(given: Sequence[str], old: Sequence[str], new: Sequence[str], there: set[str]) -> tuple[str, ...]:
    """The columns of a role: the reviewer's without those that the owner took out, and those that the owner put in."""
    taken_out = set(old) - set(new)
    put_in = [column for column in new if column not in old and column not in given]
    return (*(column for column in given if column in there and column not in taken_out), *put_in)
