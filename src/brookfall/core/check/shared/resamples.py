"""The cross-validated rows drawn again: fits on them serve every check that asks what other rows would do."""

from brookfall.core.check.bench import Bench
from brookfall.core.fit.request import Rows
from brookfall.core.resample.bootstrap import drawn_again


def resamples(bench: Bench) -> list[Rows]:
    """The cross-validated rows drawn again, as often as the plan shuffles."""
    rows, clusters = bench.split.cross_validated, bench.subject.clusters
    groups = None if clusters is None else clusters[rows]
    return drawn_again(rows, groups, "resample", bench.plan.seed, bench.plan.shuffles)
