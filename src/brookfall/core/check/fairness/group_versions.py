"""Over versions: the same audit of the version in use, beside the submitted one, on the same rows."""

from brookfall.core.candidate.candidate import IN_USE
from brookfall.core.check.bench import Bench
from brookfall.core.check.check import Check, Draft, Written, at, text
from brookfall.core.check.groups.audit import About as Labelled
from brookfall.core.check.groups.audit import refuse_undecided, refuse_unprotected
from brookfall.core.check.groups.criteria import GROUPS_OF_PLAN, followed
from brookfall.core.check.groups.parity_change import Both, both_of, in_direction, nearer
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.evidence.chart import StripChart, StripGroup, StripRow, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.measure.registry import words_of


class OverVersions(Check):
    name = "group_versions"
    title = "Groups over versions"
    question = 6
    source = "Paired inside each group on the same rows (Newcombe 1998; Hall 1992); Zou & Donner 2008 between groups."
    refits = True
    needs_version = True
    reads = Reads(plan=(*GROUPS_OF_PLAN, "in_use"), roles=("protected",))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say("Audit the version in use in the same way, on the same rows, beside this one.")

    def requests(self, bench: Bench) -> list[Need]:
        refuse_unprotected(bench)
        refuse_undecided(bench)
        return [*bench.deciding_needs, *bench.in_use.needs(bench.plan.deciding_part)]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        used = bench.named_in_use
        # What was in use comes first, so that a change is that from the old to the submitted version.
        groups = both_of(bench, bench.in_use.scored(ledger, bench.plan.deciding_part), bench.deciding(ledger))
        charts, tables = [], []
        told: list[tuple[str, Both, int, int, str]] = []
        measures = followed(bench.subject.outcome, bench.plan)
        level = 1 - (1 - draft.level) / max(1, len(measures) * len(groups))
        for measure in measures:
            strips, rows = [], []
            for one in groups:
                old, new, change, word = _add(draft, measure, one, level)
                told.append((measure, one, old, new, word))
                strips.append(
                    StripGroup(
                        label=one.words,
                        rows=(
                            StripRow(estimate=old, label=f"{used.version}, in use", colour="reference"),
                            StripRow(estimate=new, label="submitted", colour="recipe"),
                        ),
                    )
                )
                rows.append((text(one.words), at(old), at(new), at(change), text(word)))
            words = words_of(measure)
            charts.append(
                StripChart(title=f"Difference in {words}, group by group, both versions", unit="", groups=tuple(strips))
            )
            tables.append(
                TableView(
                    title=f"Parity of the {words} on the same rows, both versions refitted here",
                    columns=(
                        "group",
                        f"{used.version}, in use",
                        "submitted",
                        "changes by",
                        "so it comes",
                    ),
                    rows=tuple(rows),
                )
            )
        return draft.write(_answer(draft, used.version, told), charts=tuple(charts), tables=tuple(tables))


def _add(draft: Draft, measure: str, one: Both, level: float) -> tuple[int, int, int, str]:
    """The difference to others of the version in use, of the submitted one, and what it changes by."""
    against = one.before.against.versus
    about = Labelled(model="recipe", part=one.read.part, class_=one.read.class_, group=one.before.group.label)
    before, after = one.before.difference(measure), one.after.difference(measure)
    used = Labelled(**about)
    used["model"] = IN_USE
    old = draft.add(measure, before, comparison="difference", versus=against, **used)
    new = draft.add(measure, after, comparison="difference", versus=against, **about)
    moved, in_use = f"{measure}_difference", Versus(model=IN_USE)
    change = draft.add(moved, one.change(measure), comparison="change", versus=in_use, **about)
    return old, new, change, nearer(draft.figure(old), draft.figure(change), level)


_COME = {
    "farther from parity": ("comes farther from parity", "come farther from parity"),
    "nearer to parity": ("comes nearer to it", "come nearer to it"),
    "no change shown": ("shows no change", "show no change"),
}


def _answer(draft: Draft, version: str, told: list[tuple[str, Both, int, int, str]]) -> list[str]:
    words = [word for *_, word in told]
    counts = [
        f"{words.count(word)} {one if words.count(word) == 1 else many}"
        for word, (one, many) in _COME.items()
        if word in words
    ]
    said = f"Of {len(told)} differences between groups, against {version}, in use: {wording.listed(counts)}."
    moved = [one for one in told if one[-1] in ("farther from parity", "nearer to parity")]
    if not moved:
        return [said]
    worse = [one for one in moved if one[-1] == "farther from parity"] or moved
    measure, both, old, new, word = max(
        worse, key=lambda one: abs((draft.figure(one[3]).value or 0.0) - (draft.figure(one[2]).value or 0.0))
    )
    return [
        said,
        f"Most {word.removesuffix(' parity')} parity: {both.words} by {words_of(measure)}, from "
        f"{in_direction(draft, measure, old)} to {in_direction(draft, measure, new)}.",
    ]
