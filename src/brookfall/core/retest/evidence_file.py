"""The evidence file: exhibits with everything needed to compute them again, and the comparison that replay makes."""

import json
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.overruling import Overruled
from brookfall.core.evidence.revisions import REVISION, read_exhibit
from brookfall.core.evidence.statement import Statement
from brookfall.core.foundation.environment import environment
from brookfall.core.judge.policy import Policy
from brookfall.core.plan.departures import departures
from brookfall.core.plan.plan import Plan
from brookfall.core.plan.revisions import read_plan
from brookfall.core.submission.added import Added
from brookfall.core.submission.label_marks import LabelMark
from brookfall.core.table.change import Change
from brookfall.core.table.roles import Roles


class PackageHash(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)

    sha256: str


class Evidence(BaseModel):
    """The contract of the evidence file. ``roles`` are those the reviewer tested under, ``changes`` what made the table
    that was tested from the one that was submitted, ``added`` the tables that the reviewer put beside it, ``marks``
    what the reviewer said of single labels, ``statements`` what they judged in writing."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    brookfall: Literal[1] = 1
    revision: Literal[2] = REVISION
    package: PackageHash
    environment: dict[str, str]
    plan: Plan
    policy: Policy
    roles: Roles
    changes: tuple[Change, ...] = ()
    added: tuple[Added, ...] = ()
    marks: tuple[LabelMark, ...] = ()
    overrides: tuple[dict[str, str], ...] = ()
    read_from: int = Field(default=REVISION, exclude=True, description="the revision that was read")
    exhibits: tuple[Exhibit, ...]
    statements: tuple[Statement, ...] = ()

    def to_json(self) -> str:
        """The file's text; it holds no NaN."""
        return self.model_dump_json(by_alias=True, indent=1)


def evidence_of(
    sha256: str,
    plan: Plan,
    roles: Roles,
    exhibits: tuple[Exhibit, ...],
    changes: tuple[Change, ...] = (),
    added: tuple[Added, ...] = (),
    marks: tuple[LabelMark, ...] = (),
    statements: tuple[Statement, ...] = (),
    overruled: tuple[Overruled, ...] = (),
) -> Evidence:
    """The evidence of exhibits computed here and now.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> evidence_of("0" * 64, bench.plan, bench.subject.roles, ()).brookfall
    1
    """
    return Evidence(
        package=PackageHash(sha256=sha256),
        environment=environment(),
        plan=plan,
        policy=plan.policy,
        roles=roles,
        changes=changes,
        added=added,
        marks=marks,
        overrides=(*(one.as_override() for one in departures(plan)), *(one.as_override() for one in overruled)),
        exhibits=exhibits,
        statements=statements,
    )


def read_evidence(text: str) -> Evidence:
    """The evidence of a file of any revision.

    Parameters
    ----------
    text
        The file's text.

    Raises
    ------
    ValueError
        It is no evidence file, or one of a revision that this program does not know; the message says which.
    """
    kept = json.loads(text)
    if not isinstance(kept, dict) or kept.get("brookfall") != 1:
        raise ValueError("it does not begin with brookfall: 1")
    revision = kept.get("revision", 1)
    if revision not in (1, REVISION):
        raise ValueError(f"it is of revision {revision}, and this program knows revisions up to {REVISION}")
    plan = read_plan(kept["plan"])
    exhibits = tuple(read_exhibit(one) for one in kept["exhibits"])
    return Evidence.model_validate(
        {**kept, "revision": REVISION, "read_from": revision, "plan": plan, "policy": plan.policy, "exhibits": exhibits}
    )
