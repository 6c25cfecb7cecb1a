"""What a check reads beside the rows: declared, so that a change makes stale only what it can have changed, and held
to it, so that nothing else can be reached."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from brookfall.core.foundation import digest
from brookfall.core.plan.plan import Plan
from brookfall.core.table.roles import Roles

if TYPE_CHECKING:
    from brookfall.core.check.check import Check

PLAN_OF_ALL = ("seed", "parts", "cross_validation", "main_measure", "deciding_part", "threshold", "policy.level")
"""Fields of the plan that every check reads: who trains, who is tested, by what is judged."""

ROLES_OF_ALL = (
    *("target", "positive", "weight", "group", "occasion", "alternative", "available", "observed", "part"),
    *("features", "also_features", "ignore"),
)
_LISTED = ("grounds", "ground_words")
_GUARDED_ROLES = ("protected", "grounds", "spoken", "identifier", "time", "naming", "named")
_GUARDED_OF_SUBJECT = ("claims", "expectations", "new_rows")
_NEVER_READ = ("checks", "statements", "target_observed", "harm_reason", "split_reason", "overrides")
"""Fields of the plan that change no exhibit."""


class UndeclaredReadError(Exception):
    """A check reached for what it did not declare that it reads: a fault of the check, whatever the case."""


@dataclass(frozen=True)
class Reads:
    """What a check reads beside what every check does.

    Parameters
    ----------
    plan
        Fields of the plan; those of its policy as ``policy.gap``.
    roles
        Of ``protected`` (with the grounds that columns are tied to, and how their levels are spoken of),
        ``identifier``, ``time``.
    subject
        Of ``claims``, ``expectations``, ``new_rows``.
    marks
        Whether it reads what the reviewer said of single labels.
    """

    plan: tuple[str, ...] = ()
    roles: tuple[str, ...] = ()
    subject: tuple[str, ...] = ()
    marks: bool = False

    @property
    def known_roles(self) -> tuple[str, ...]:
        """The roles that are read, with what belongs to them."""
        return (*self.roles, "grounds", "spoken") if "protected" in self.roles else self.roles

    def of_plan(self, check: str, plan: Plan) -> dict[str, object]:
        """The fields of a plan that can change this check's exhibit.

        What is as by default is left out: a field that plans get later, and that leaves all as it was, is no change.
        """
        whole = plan.model_dump(mode="json", exclude_defaults=True)
        policy = whole.pop("policy", {})
        settings = whole.pop("settings", {})
        limits = policy.pop("limits", {})
        fields = {**whole, **{f"policy.{name}": value for name, value in policy.items()}}
        read = {name: value for name, value in fields.items() if name in (*PLAN_OF_ALL, *self.plan)}
        mine = {"settings": settings.get(check), "limits": limits.get(check)}
        return read | {name: value for name, value in mine.items() if value}

    def of_roles(self, roles: Mapping[str, object]) -> dict[str, object]:
        """The roles that can change this check's exhibit."""
        known = {*ROLES_OF_ALL, *self.known_roles, *(("identifier",) if "naming" in self.roles else ())}
        return {name: value for name, value in roles.items() if name in known and value not in (None, [], (), {})}


def content_key(check: "Check", plan: Plan, roles: Mapping[str, object], rest: Mapping[str, object]) -> str:
    """Names an exhibit by everything that can change it: what it reads of plan and roles, and ``rest``.

    >>> from brookfall.core.check.registry import checks
    >>> from brookfall.core.check.standard_plan import standard_plan
    >>> plan, gap = standard_plan(2, given_parts=False), checks()["gap"]
    >>> other = plan.model_copy(update={"splits": 77})
    >>> content_key(gap, plan, {}, {}) == content_key(gap, other, {}, {})
    True
    """
    by_time = "time" in (plan.cross_validation.by, getattr(plan.parts, "by", None))
    read = check.reads.of_roles(roles) | ({"time": roles.get("time")} if by_time else {})
    return digest.of_json({"check": check.name, "plan": check.reads.of_plan(check.name, plan), "roles": read, **rest})


class PlanView:
    """A plan of which only declared fields can be reached; UndeclaredReadError for others."""

    def __init__(self, plan: Plan, check: "Check") -> None:
        self._plan, self._check = plan, check

    def __getattr__(self, name: str) -> Any:
        if name == "policy":
            return PolicyView(self._plan.policy, self._check)
        if name in Plan.model_fields and name not in (*PLAN_OF_ALL, *self._check.reads.plan, "settings"):
            raise UndeclaredReadError(f"{self._check.name} reads {name} of the plan and does not declare it")
        return getattr(self._plan, name)


class PolicyView:
    """A policy of which only declared limits can be reached."""

    def __init__(self, policy: object, check: "Check") -> None:
        self._policy, self._check = policy, check

    def __getattr__(self, name: str) -> Any:
        known = f"policy.{name}" in (*PLAN_OF_ALL, *self._check.reads.plan) or name == "limits"
        # The grounds with their words are put together of two fields.
        known = all(f"policy.{one}" in self._check.reads.plan for one in _LISTED) if name == "listed" else known
        if (name == "listed" or name in type(self._policy).model_fields) and not known:  # type: ignore[attr-defined]
            raise UndeclaredReadError(f"{self._check.name} reads {name} of the policy and does not declare it")
        return getattr(self._policy, name)


class RolesView:
    """Roles of columns of which only declared ones can be reached."""

    def __init__(self, roles: Roles, check: "Check") -> None:
        self._roles, self._check = roles, check

    def __getattr__(self, name: str) -> Any:
        if name in _GUARDED_ROLES and name not in self._check.reads.known_roles:
            raise UndeclaredReadError(f"{self._check.name} reads the role {name} and does not declare it")
        return getattr(self._roles, name)


class SubjectView:
    """A subject of which only what is declared can be reached; its rows, target and features always."""

    def __init__(self, subject: object, check: "Check") -> None:
        self._subject, self._check = subject, check

    @property
    def roles(self) -> Any:
        return RolesView(self._subject.roles, self._check)  # type: ignore[attr-defined]

    def __getattr__(self, name: str) -> Any:
        if name in _GUARDED_OF_SUBJECT and name not in self._check.reads.subject:
            raise UndeclaredReadError(f"{self._check.name} reads {name} and does not declare it")
        return getattr(self._subject, name)


class NoMarks:
    """Marks that were not declared: whoever looks at them is told."""

    def __init__(self, check: "Check") -> None:
        self._check = check

    def __iter__(self) -> Any:
        raise UndeclaredReadError(f"{self._check.name} reads the reviewer's marks and does not declare it")

    def __len__(self) -> int:
        raise UndeclaredReadError(f"{self._check.name} reads the reviewer's marks and does not declare it")
