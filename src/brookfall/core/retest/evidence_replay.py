"""What a replay of an evidence file says: whether it is the same, and what differs, of environment and of figures."""

from dataclasses import dataclass

from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.foundation.environment import environment
from brookfall.core.retest.differences import OTHER_PROCESSOR, differences, numbers_that_differ
from brookfall.core.retest.evidence_file import Evidence


@dataclass(frozen=True)
class Compared:
    """Whether the figures are the same, and what is to be said of it, line by line."""

    same: bool
    lines: tuple[str, ...]


def compared(evidence: Evidence, again: tuple[Exhibit, ...]) -> Compared:
    """Sets exhibits that were computed again beside those of an evidence file.

    Evidence of revision 1 knows less of an estimate than is known now: of it values and plain intervals are compared,
    by the ids that follow from its labels; of drawn intervals the value alone.

    Parameters
    ----------
    evidence
        What was kept.
    again
        The same checks under the same plan, computed here and now.

    Examples
    --------
    >>> from brookfall.core.check.example import small_bench
    >>> from brookfall.core.retest.evidence_file import evidence_of
    >>> from brookfall.core.retest.run import retest
    >>> bench = small_bench()
    >>> made = retest(bench)
    >>> compared(evidence_of("0" * 64, bench.plan, bench.subject.roles, made), made).same
    True
    """
    now = environment()
    changed = sorted(name for name, was in evidence.environment.items() if now.get(name) != was)
    said = []
    other_program = "program" in changed or evidence.read_from == 1
    if other_program:
        said.append("The program is another than the one that made this evidence.")
    others = [name for name in changed if name not in ("program", "brookfall")]
    if others:
        said.append(f"The environment is another; it differs in {', '.join(others)}.")
    estimates = sum(len(exhibit.estimates) for exhibit in evidence.exhibits)
    if evidence.read_from == 1:
        found = numbers_that_differ(evidence.exhibits, again, OTHER_PROCESSOR)
        more = sum(len(exhibit.estimates) for exhibit in again) - estimates
        if not found:
            new = f"; {more} are new since" if more > 0 else ""
            said.append(
                f"The values and intervals of all {estimates} estimates are the same to {OTHER_PROCESSOR:g}{new}."
            )
        return Compared(not found, (*said, *map(str, found)))
    found = differences(evidence.exhibits, again)
    if found and changed:
        near = differences(evidence.exhibits, again, OTHER_PROCESSOR)
        if not near:
            return Compared(True, (*said, f"All {estimates} estimates are equal to {OTHER_PROCESSOR:g}."))
        found = near
    if not found:
        said.append(f"All {estimates} estimates of {len(again)} exhibits are the same, bit for bit.")
    return Compared(not found, (*said, *map(str, found)))
