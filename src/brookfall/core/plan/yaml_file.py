"""A plan as a YAML file, written and read."""

import yaml
from pydantic import ValidationError

from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.strict_yaml import load_yaml
from brookfall.core.foundation.validation import first_problem
from brookfall.core.plan.plan import Plan
from brookfall.core.plan.revisions import read_plan


def plan_to_yaml(plan: Plan) -> str:
    """The plan's text, every field written out.

    >>> from brookfall.core.check.standard_plan import standard_plan
    >>> plan_to_yaml(standard_plan(2, given_parts=False)).splitlines()[0]
    'revision: 2'
    """
    return yaml.safe_dump(plan.model_dump(mode="json"), sort_keys=False, allow_unicode=True)


def plan_from_yaml(text: str, file: str) -> Plan:
    """The plan that the text asks for; UserError says which field can't be read and what may stand there.

    >>> from brookfall.core.check.standard_plan import standard_plan
    >>> plan = standard_plan(2, given_parts=False)
    >>> plan_from_yaml(plan_to_yaml(plan), "plan.yaml") == plan
    True
    """
    read = load_yaml(text, file, _TODO)
    if not isinstance(read, dict):
        raise UserError("The file holds no plan.", todo=_TODO, file=file)
    try:
        return read_plan(read)
    except ValidationError as problem:
        place, message = first_problem(problem)
        field = ".".join(part for part in place.split(".") if part not in ("shares", "given"))
        said = f"{field}: {message}" if field else message
        raise UserError(f"The plan can't be read ({said}).", todo=_TODO, file=file) from problem
    except ValueError as problem:
        raise UserError(f"The plan can't be read ({problem}).", todo="Use a newer program.", file=file) from problem


_TODO = "See docs/formats for its names and kinds, or export a plan and change that."
