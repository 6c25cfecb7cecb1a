"""The fits by which the version in use is judged."""

from brookfall.core.check.bench import Bench, Deciding
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.scored import Scored
from brookfall.core.plan.plan import InUse
from brookfall.core.recipe.families import check_recipe


def named_in_use(bench: Bench) -> InUse:
    """The version in use; UserError where the plan names none, or what it learns from is not in these data."""
    used, table = bench.plan.in_use, bench.subject.table
    if used is None:
        raise UserError("The plan names no version in use.", todo="Name one, or leave this check out.")
    check_recipe(used.recipe, bench.subject.outcome, "the version in use")
    gone = [name for name in used.features or () if name not in table]
    if gone:
        raise UserError(
            f"{used.version} learns from {wording.listed(gone)}, which these data do not have.",
            todo="Name another version in use, or leave this check out.",
        )
    return used


def needs_in_use(bench: Bench) -> list[Need]:
    """The fits by which the version in use is judged: on the rows that the submitted one's are made on."""
    used = named_in_use(bench)
    return list(bench.deciding_needs_of(used.recipe, used.features))


def deciding_in_use(bench: Bench, ledger: Ledger) -> Deciding:
    """The rows that decide, as the version in use scores and decides them."""
    used = named_in_use(bench)
    found = bench.deciding_by(ledger, bench.deciding_needs_of(used.recipe, used.features))
    if not isinstance(found.scored, Scored):
        return found
    return Deciding(found.part, found.positions, found.scored.at(used.recipe.threshold))
