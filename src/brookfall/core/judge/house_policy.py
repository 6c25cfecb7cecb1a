"""A house's own policy as a YAML file: its limits, statements, terms and standard plans by tier, and by outcome."""

from collections.abc import Iterator, Sequence
from typing import Any, Literal

import yaml
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from brookfall.core.evidence.limit import Limit
from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.strict_yaml import StrictLoader, load_yaml
from brookfall.core.foundation.validation import first_problem
from brookfall.core.judge.policy import STANDARD_PLANS, Policy, StandardPlan, default_policy
from brookfall.core.judge.report_form import ReportForm
from brookfall.core.judge.requirements import RequirementList
from brookfall.core.table.outcome import Outcome

_TODO = "See docs/formats/policy.schema.json, or begin with what 'brookfall policy' writes."
_TIERS = (1, 2, 3)
_ROUNDING = 1e-6
Step = str | int
SigningRole = Literal["reviewer", "countersigner", "administrator"]


def _is_as_built_in(form: ReportForm) -> bool:
    return form == ReportForm()


class TierPolicy(Policy):
    """What the house asks of a tier: the limits of every outcome, other ones ``outcomes`` by outcome, the plan."""

    standard_plan: StandardPlan
    outcomes: dict[Outcome, dict[str, Limit]] = Field(
        default_factory=dict, description="limits that are others for one kind of outcome, by the limit's name"
    )


class HousePolicy(BaseModel):
    """What a house asks of its models. What a tier does not say is as in the built-in policy."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    brookfall_policy: Literal[1] = Field(description="the revision of this format")
    name: str = Field(min_length=1, max_length=120)
    second_factor_for: tuple[SigningRole, ...] = Field(
        default=(), max_length=3, description="roles whose people must have a second factor before they sign anything"
    )
    requirements: tuple[RequirementList, ...] = Field(
        default=(), max_length=20, description="what is asked from outside, by its source"
    )
    report: ReportForm = Field(
        default=ReportForm(),
        exclude_if=_is_as_built_in,
        description="how a report is made where nobody asks otherwise",
    )
    tiers: dict[int, TierPolicy]

    @model_validator(mode="before")
    @classmethod
    def _filled_in(cls, sent: Any) -> Any:
        """Each tier as the built-in policy has it, where the file says nothing."""
        if not isinstance(sent, dict) or not isinstance(sent.get("tiers", {}), dict):
            return sent
        numbers = {str(tier): tier for tier in _TIERS}  # JSON and a careful hand write them as text
        said = {numbers.get(str(tier), tier): of_tier for tier, of_tier in sent.get("tiers", {}).items()}
        tiers: dict[Any, Any] = {tier: {} for tier in _TIERS} | said
        return {**sent, "tiers": {tier: _with_defaults(tier, said, sent.get("name")) for tier, said in tiers.items()}}

    def policy(self, tier: int, outcome: str) -> Policy:
        """The policy that cases of a tier and an outcome are judged by."""
        own = self.tiers[tier]
        fields = {name: getattr(own, name) for name in Policy.model_fields}
        fields["requirements"] = tuple(asked for one in self.requirements if (asked := one.of(tier, outcome)))
        others = {name: limit for of, limits in own.outcomes.items() if of == outcome for name, limit in limits.items()}
        return Policy.model_validate({**fields, **others})

    def standard(self, tier: int) -> StandardPlan:
        """The parts, folds, splits and shuffles of the tier's standard plan."""
        return self.tiers[tier].standard_plan


def _with_defaults(tier: Any, said: Any, name: Any) -> Any:
    if tier not in _TIERS or not isinstance(said, dict):
        return said
    built_in = default_policy(tier).model_dump()
    standard = STANDARD_PLANS[tier].model_dump()
    # The whole has one name; a tier that was written out tells the one it had then.
    return {**built_in, "standard_plan": standard, **said, "name": name, "tier": tier}


def built_in_house() -> HousePolicy:
    """The built-in policy, in the form of a house's own.

    >>> built_in_house().policy(1, "binary") == default_policy(1)
    True
    """
    return HousePolicy.model_validate({"brookfall_policy": 1, "name": Policy(tier=1).name, "tiers": {}})


def house_to_yaml(house: HousePolicy) -> str:
    """The policy's text, everything written out that a file may say.

    >>> house_from_yaml(house_to_yaml(built_in_house()), "policy.yaml") == built_in_house()
    True
    """
    dumped = written_out(house)
    dumped["tiers"] = {int(number): tier for number, tier in dumped["tiers"].items()}
    for tier in dumped["tiers"].values():
        for given in ("revision", "name", "tier"):
            del tier[given]
        for limit in _limits_in(tier):
            for empty in [key for key, value in limit.items() if value is None]:
                del limit[empty]
    return yaml.safe_dump(dumped, sort_keys=False, allow_unicode=True, width=120)


def written_out(house: HousePolicy) -> dict[str, Any]:
    """The policy as data, with what is as built in too: what was signed must not change with the program.

    >>> written_out(built_in_house())["tiers"]["1"]["days_to_answer"]
    14
    """
    dumped = {**house.model_dump(mode="json"), "report": house.report.model_dump(mode="json")}
    for number, tier in house.tiers.items():
        dumped["tiers"][str(number)] |= {
            "materiality": tier.materiality.model_dump(mode="json"),
            "days_to_answer": tier.days_to_answer,
        }
    return dumped


def _limits_in(tier: dict[str, Any]) -> Iterator[dict[str, Any]]:
    yield from (said for said in tier.values() if isinstance(said, dict) and "burden" in said)
    yield from tier["limits"].values()
    for limits in tier["outcomes"].values():
        yield from limits.values()


def house_from_yaml(text: str, file: str, checks: Sequence[str] = ()) -> HousePolicy:
    """The policy that the text says.

    Parameters
    ----------
    text
        YAML.
    file
        Its name, for messages.
    checks
        What ``limits`` of checks may be named by; any name where there are none.

    Raises
    ------
    UserError
        It can't be read or meant: says in which line, and what to write.

    Examples
    --------
    >>> house = house_from_yaml("brookfall_policy: 1\\nname: Ours\\ntiers: {1: {approved_years: 2}}", "policy.yaml")
    >>> house.policy(1, "binary").approved_years, house.policy(2, "binary").name
    (2, 'Ours')
    """
    read = load_yaml(text, file, _TODO)
    if not isinstance(read, dict):
        raise UserError("The file holds no policy.", todo=_TODO, file=file)
    lines = yaml.compose(text, Loader=StrictLoader)
    try:
        house = HousePolicy.model_validate(read)
    except ValidationError as problem:
        place, message = first_problem(problem)
        path = _path(problem.errors()[0]["loc"])
        where = ".".join(map(str, path)) or place
        raise _refused(f"{where}: {message}" if where else message, _TODO, file, _line(lines, path)) from problem
    for path, what, todo in _not_meant(house, checks):
        raise _refused(f"{'.'.join(map(str, path))}: {what}", todo, file, _line(lines, path))
    return house


def refuse_not_meant(house: HousePolicy, checks: Sequence[str]) -> None:
    """UserError where the policy says what no type forbids and nobody can mean: which place, and what to write."""
    for path, what, todo in _not_meant(house, checks):
        raise UserError(f"The policy can't be used ({'.'.join(map(str, path))}: {what}).", todo=todo)


def _refused(what: str, todo: str, file: str, line: int | None) -> UserError:
    return UserError(f"The policy can't be used ({what}).", todo=todo, file=file, row=line)


def _path(loc: tuple[Step, ...]) -> tuple[Step, ...]:
    """The place in the file: the library names the keys of a mapping once more."""
    return tuple(step for step in loc if step != "[key]")


def _line(node: yaml.Node | None, path: Sequence[Step]) -> int | None:
    """The line of what stands at the path, or of what it should stand in."""
    if node is None:
        return None
    line = node.start_mark.line + 1
    for step in path:
        found = None
        if isinstance(node, yaml.MappingNode):
            found = next(((key, value) for key, value in node.value if key.value == str(step)), None)
        elif isinstance(node, yaml.SequenceNode) and isinstance(step, int) and step < len(node.value):
            found = (node.value[step], node.value[step])
        if found is None:
            break
        key, node = found
        line = key.start_mark.line + 1
    return line


def _not_meant(house: HousePolicy, checks: Sequence[str]) -> Iterator[tuple[tuple[Step, ...], str, str]]:
    """What no type forbids and nobody can mean: its place, what is wrong, and what to write."""
    yield from _not_asked(house, checks)
    for tier, own in house.tiers.items():
        if tier not in _TIERS:
            yield ("tiers", tier), "there is no such tier", "Tiers are 1, 2 and 3."
            return
        built_in = default_policy(tier)
        named = {name: value for name, value in built_in if isinstance(value, Limit)}
        for name, default in named.items():
            yield from _not_a_limit(("tiers", tier, name), getattr(own, name), default)
        for name, limit in own.limits.items():
            place: tuple[Step, ...] = ("tiers", tier, "limits", name)
            if checks and name not in checks:
                yield place, "there is no check of that name", f"Checks are {', '.join(checks)}."
            yield from _not_a_limit(place, limit, None)
        for outcome, limits in own.outcomes.items():
            for name, limit in limits.items():
                place = ("tiers", tier, "outcomes", outcome, name)
                if name not in named:
                    yield place, "there is no limit of that name", f"Limits are {', '.join(named)}."
                    continue
                yield from _not_a_limit(place, limit, named[name])
        yield from _not_a_plan(("tiers", tier, "standard_plan"), own.standard_plan)


def _not_asked(house: HousePolicy, checks: Sequence[str]) -> Iterator[tuple[tuple[Step, ...], str, str]]:
    names = [one.name for one in house.requirements]
    if len(set(names)) < len(names):
        yield ("requirements",), "two lists have the same name", "Give each list of requirements a name of its own."
    for place, one in enumerate(house.requirements):
        for number, asked in enumerate(one.requirements):
            path: tuple[Step, ...] = ("requirements", place, "requirements", number)
            for name in asked.checks:
                if checks and name not in checks:
                    yield (*path, "checks"), f"there is no check '{name}'", f"Checks are {', '.join(checks)}."
            for tier in asked.tiers:
                if tier not in _TIERS:
                    yield (*path, "tiers"), f"there is no tier {tier}", "Tiers are 1, 2 and 3."
                    continue
                known = [statement.name for statement in house.tiers[tier].statements]
                for name in asked.statements:
                    if name not in known:
                        todo = f"Let tier {tier} ask for it in writing, or leave the tier out: {', '.join(known)}."
                        yield (*path, "statements"), f"tier {tier} has no statement '{name}'", todo
    for tier, own in house.tiers.items():
        if own.requirements:
            yield ("tiers", tier, "requirements"), "a tier lists none of its own", "Write them above, with their tiers."


def _not_a_limit(
    place: tuple[Step, ...], limit: Limit, default: Limit | None
) -> Iterator[tuple[tuple[Step, ...], str, str]]:
    if limit.at_least is None and limit.at_most is None:
        yield place, "the limit has no end", "Write at_least, at_most, or both."
    elif limit.low > limit.high:
        yield place, f"at_least {limit.low:g} is above at_most {limit.high:g}", "Exchange them."
    elif default is not None and default.ideal is not None and limit.ideal is None:
        todo = f"Write ideal: {default.ideal:g}, or another; what is near a limit is read from it."
        yield place, "the limit has no ideal", todo
    elif limit.ideal is not None and not limit.keeps(limit.ideal):
        yield place, f"the ideal {limit.ideal:g} does not keep the limit", f"Write an ideal that is {limit.words}."
    elif limit.policy is not None:
        yield (*place, "policy"), "this is not a policy's to say", "Take the line out."


def _not_a_plan(place: tuple[Step, ...], plan: StandardPlan) -> Iterator[tuple[tuple[Step, ...], str, str]]:
    added = sum(plan.shares.values())
    if not {"training", "test"} <= plan.shares.keys():
        yield (*place, "shares"), "training and test must have shares", "Write both, and validation if it is wished."
    elif abs(added - 100) > _ROUNDING or min(plan.shares.values()) <= 0:
        yield (*place, "shares"), f"the shares add up to {added:g}", "Write per cents above 0 that add up to 100."
