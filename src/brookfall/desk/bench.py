"""A case laid out on the core's bench: its stored table under the reviewer's roles and plan."""

from sqlalchemy.orm import Session

from brookfall.core.bench import Bench
from brookfall.core.plan import Plan
from brookfall.core.subject import Subject
from brookfall.core.submission.schema import Submission
from brookfall.core.table.roles import Roles, check_roles
from brookfall.records.cases import Case
from brookfall.records.tables import get_table


def bench_of(session: Session, case: Case) -> Bench:
    """UserError when the roles or the plan can't be carried out on these rows."""
    declared = Submission.model_validate(case.submission)
    roles = Roles.model_validate(case.roles)
    table = get_table(session, case.id)
    file = declared.data[0].path
    check_roles(roles, table, file)
    subject = Subject(table, roles, declared.recipe, declared.claims, file)
    _ = subject.positive
    return Bench(subject, Plan.model_validate(case.plan))
