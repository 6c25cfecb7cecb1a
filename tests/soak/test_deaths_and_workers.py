"""What takes too long for every commit: deaths of workers at many moments, and many workers at once."""

import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.retest.differences import differences
from brookfall.core.retest.run import retest
from brookfall.launch.house import House
from tests.api.test_case import SignIn, survives


@pytest.mark.parametrize("after", range(1, 9))
@pytest.mark.parametrize("killed", [(1,), (2,), (1, 2)], ids=["first", "second", "both"])
def test_a_run_survives_deaths_at_any_moment(
    visitor: SignIn,
    workers: House,
    killed: tuple[int, ...],
    after: int,
) -> None:
    survives(visitor, workers, killed, after, seed=1000 + 10 * after + sum(killed))


def test_same_bits_with_eight_workers(bench: Bench) -> None:
    assert differences(retest(bench), retest(bench, workers=8)) == []
