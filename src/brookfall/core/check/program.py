"""The program that an exhibit rests on: digests of its check, and of the measures and families that were used."""

from collections.abc import Iterable
from functools import cache

from brookfall.core.check.registry import checks
from brookfall.core.fit.artifact import read_artifact
from brookfall.core.foundation import digest
from brookfall.core.foundation.sources import digest_of
from brookfall.core.measure import registry as measures
from brookfall.core.recipe.families import families, program_of

_ABSENT = "absent"


def sources_of(check: str, measured: Iterable[str], models: Iterable[str]) -> tuple[str, ...]:
    """What an exhibit rests on, by name: ``check:gap``, ``measure:auc``, and the models asked, ``family:tree``.

    >>> sources_of("gap", {"auc"}, {"family:tree"})
    ('check:gap', 'family:tree', 'measure:auc')
    """
    return (
        f"check:{check}",
        *sorted(models),
        *sorted(f"measure:{name}" for name in measured),
    )


def program_digest(sources: Iterable[str]) -> str:
    """The digest of all these sources as they are in this program.

    >>> program_digest(("check:gap",)) == program_digest(("check:holdout",))
    False
    """
    return digest.of_json([[one, _of(one)] for one in sources])


def read_whole_program() -> None:
    """Digests every source there is, once in a process, so that nobody waits for it later."""
    known = {"check": list(checks()), "family": list(families()), "measure": list(measures.measures())}
    program_digest(f"{kind}:{name}" for kind, names in known.items() for name in names)


@cache
def _of(source: str) -> str:
    kind, _, name = source.partition(":")
    if kind == "measure":
        return measures.program_of(name)
    if kind == "family":
        return program_of(name) if name in families() else _ABSENT
    if kind == "artifact":
        return digest_of(read_artifact.__module__)
    return digest_of(type(checks()[name]).__module__) if name in checks() else _ABSENT
