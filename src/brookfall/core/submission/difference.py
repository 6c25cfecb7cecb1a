"""What changed from one submitted version of a model to the next."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict

from brookfall.core.foundation import wording
from brookfall.core.measure.registry import words_of
from brookfall.core.submission.schema import Claim, Submission
from brookfall.core.table.roles import SINGLE, Roles

_FIELDS = ("tier", "outcome", "purpose", "use", "population", "owner")
_LISTS = ("identifier", "protected", "also_features", "ignore", "features")


class VersionChange(BaseModel):
    """One difference: what it is about, and in words."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    about: str
    words: str


@dataclass(frozen=True)
class Version:
    """A submission with what its files hold: SHA-256 by path, the kind of each column, the number of rows."""

    declared: Submission
    files: Mapping[str, str]
    columns: Mapping[str, str]
    rows: int


def version_changes(before: Version, after: Version) -> tuple[VersionChange, ...]:
    """Every difference, in the order of the brief: the model, files, columns, roles, recipe, claims."""
    found = [
        *(("model", words) for words in _model(before.declared, after.declared)),
        *(("files", words) for words in _files(before.files, after.files)),
        *(("data", words) for words in _columns(before, after)),
        *(("roles", words) for words in roles_changes(before.declared.data[0].roles, after.declared.data[0].roles)),
        *(("recipe", words) for words in _recipe(before.declared, after.declared)),
        *(("claims", words) for words in _claims(before.declared.claims, after.declared.claims)),
    ]
    return tuple(VersionChange(about=about, words=words) for about, words in found)


def _model(before: Submission, after: Submission) -> Iterator[str]:
    for name in _FIELDS:
        old, new = getattr(before.model, name), getattr(after.model, name)
        if old != new:
            yield f"{name}: {_value(old)} → {_value(new)}"


def model_changes(
    before: Submission,
    after: Submission,
    fitted: tuple[str | None, str | None],
    features: tuple[Sequence[str], Sequence[str]],
) -> tuple[str, ...]:
    """What makes of the same version another model: where nothing does, only the rows are new.

    Parameters
    ----------
    before, after
        What was declared each time.
    fitted
        SHA-256 of the fitted model's file, each time; None where there was none.
    features
        The columns that it learns from or is given, each time.

    Returns
    -------
    tuple of str
        In words; empty where outcome, target, features, recipe and fitted model are the same.
    """
    roles = before.data[0].roles, after.data[0].roles
    found = [
        f"{name}: {_value(old)} → {_value(new)}"
        for name, old, new in (
            ("outcome", before.model.outcome, after.model.outcome),
            ("target", roles[0].target, roles[1].target),
            ("positive", roles[0].positive, roles[1].positive),
        )
        if old != new
    ]
    if before.refits or after.refits:
        added = [name for name in features[1] if name not in features[0]]
        gone = [name for name in features[0] if name not in features[1]]
        found += [
            f"features: {wording.listed(names)} {word}"
            for names, word in ((added, "added"), (gone, "no longer"))
            if names
        ]
    found += _recipe(before, after)
    artifacts = [
        None if one.artifact is None else one.artifact.model_dump(exclude={"path", "graph"}) for one in (before, after)
    ]
    if fitted[0] != fitted[1] or artifacts[0] != artifacts[1]:
        found.append("the fitted model is another")
    return tuple(found)


def _files(before: Mapping[str, str], after: Mapping[str, str]) -> Iterator[str]:
    added, gone = sorted(set(after) - set(before)), sorted(set(before) - set(after))
    changed = sorted(path for path in after if path in before and before[path] != after[path])
    for words, paths in (("added", added), ("left out", gone), ("changed", changed)):
        if paths:
            yield f"{wording.listed(paths)} {words}"


def _columns(before: Version, after: Version) -> Iterator[str]:
    if before.rows != after.rows:
        yield f"{wording.rows(before.rows)} → {wording.rows(after.rows)}"
    added = [name for name in after.columns if name not in before.columns]
    gone = [name for name in before.columns if name not in after.columns]
    if added:
        yield f"new {_columns_words(added)}"
    if gone:
        yield f"no longer there: {_columns_words(gone)}"
    for name, kind in after.columns.items():
        if before.columns.get(name, kind) != kind:
            yield f"{name} was read as {before.columns[name]} and is now {kind}"


def _columns_words(names: list[str]) -> str:
    return f"column{'' if len(names) == 1 else 's'} {wording.listed(names)}"


def roles_changes(old: Roles, new: Roles) -> Iterator[str]:
    """What differs between two assignments of roles, in words.

    >>> list(roles_changes(Roles(target="y"), Roles(target="z", protected=("sex",))))
    ['target: y → z', 'protected: sex added']
    """
    for name in ("target", "positive", *SINGLE[1:]):
        if getattr(old, name) != getattr(new, name):
            yield f"{name}: {_value(getattr(old, name))} → {_value(getattr(new, name))}"
    for name in _LISTS:
        before, after = getattr(old, name), getattr(new, name)
        if (before is None) != (after is None):
            yield f"{name}: {_list(before)} → {_list(after)}"
            continue
        added = [column for column in after or () if column not in before]
        gone = [column for column in before or () if column not in after]
        both = ((added, "added"), (gone, "no longer"))
        said = [f"{wording.listed(columns)} {word}" for columns, word in both if columns]
        if said:
            yield f"{name.replace('_', ' ')}: {'; '.join(said)}"


def _list(names: tuple[str, ...] | None) -> str:
    return "every column without another role" if names is None else wording.listed(names) or "none"


def _recipe(before: Submission, after: Submission) -> Iterator[str]:
    old, new = before.recipe, after.recipe
    if old is None or new is None:
        if old is not new:
            yield "a recipe was added" if old is None else "no recipe any more, so nothing can be refitted"
        return
    if old.family != new.family:
        yield f"family: {old.family.replace('_', ' ')} → {new.family.replace('_', ' ')}"
    flat = (_flat(old.model_dump(mode="json")), _flat(new.model_dump(mode="json")))
    for name in sorted(set(flat[0]) | set(flat[1])):
        was, now = flat[0].get(name), flat[1].get(name)
        if name != "family" and was != now:
            yield f"{name.replace('_', ' ')}: {_value(was)} → {_value(now)}"


def _flat(nested: Mapping[str, object], above: str = "") -> dict[str, object]:
    found: dict[str, object] = {}
    for name, value in nested.items():
        if isinstance(value, dict):
            found |= _flat(value, f"{above}{name} ")
        else:
            found[f"{above}{name}"] = value
    return found


def _claims(before: tuple[Claim, ...], after: tuple[Claim, ...]) -> Iterator[str]:
    old, new = ({claim_words(claim): claim.value for claim in claims} for claims in (before, after))
    for name in dict.fromkeys([*old, *new]):
        if old.get(name) != new.get(name):
            yield f"{name}: {_value(old.get(name))} → {_value(new.get(name))}"


def claim_words(claim: Claim) -> str:
    """What a claim is of, without its value."""
    at = "" if claim.threshold is None else f" at {claim.threshold:g}"
    of = "" if claim.class_ is None else f" of {claim.class_}"
    return f"{words_of(claim.measure)}{of}, {claim.where}{at}"


def _value(value: object) -> str:
    return "none" if value in (None, "") else str(value)
