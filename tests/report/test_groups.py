"""Group charts as the report draws them."""

from xml.etree import ElementTree

import pytest

from brookfall.core.evidence.chart import CombinationChart, GroundChart, GroupThresholds, ProxyMap
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.retest.run import retest
from brookfall.report.charts import draw
from tests.core.test_fairness import people, with_proxy
from tests.core.test_fairness import subject as subject_of
from tests.made import bench_with


@pytest.fixture(scope="module")
def exhibits() -> dict[str, Exhibit]:
    harmed = bench_with(subject_of(people(2000, harmed="old women")), "groups", "combinations", "group_thresholds")
    proxies = bench_with(subject_of(with_proxy(600)), "proxies")
    return {one.check: one for one in (*retest(harmed), *retest(proxies))}


def pieces(exhibit: Exhibit) -> list[ElementTree.Element]:
    return [ElementTree.fromstring(f"<div>{text}</div>") for text in draw(exhibit)]


def words_of(piece: ElementTree.Element) -> str:
    return " ".join("".join(piece.itertext()).split())


def test_a_ground_has_a_strip_a_criterion_and_its_curves(exhibits: dict[str, Exhibit]) -> None:
    found = exhibits["groups"]
    drawn = pieces(found)
    grounds = [chart for chart in found.charts if isinstance(chart, GroundChart)]
    assert len(drawn) == sum(1 + len(chart.curves) for chart in grounds)
    first = words_of(drawn[0])
    for strip in grounds[0].strips:
        assert strip.words in first
    assert "f (reference)" in first
    assert "Dashed: the limits" in first


def test_combinations_are_listed_with_the_ladder_to_the_worst(exhibits: dict[str, Exhibit]) -> None:
    found = exhibits["combinations"]
    assert any(isinstance(chart, CombinationChart) for chart in found.charts)
    (drawn,) = pieces(found)
    told = words_of(drawn)
    assert "from all rows down to f, old" in told
    assert "f, old *" in told
    assert "worse off than either ground alone would make it" in told
    rungs = [text for text in ("all rows", "f", "old", "f, old") if text in told]
    assert len(rungs) == 4


def test_proxies_and_thresholds_are_drawn_with_their_names(exhibits: dict[str, Exhibit]) -> None:
    assert any(isinstance(chart, ProxyMap) for chart in exhibits["proxies"].charts)
    told = " ".join(words_of(piece) for piece in pieces(exhibits["proxies"]))
    assert "place (sex)" in told
    thresholds = exhibits["group_thresholds"]
    drawn = pieces(thresholds)
    assert len(drawn) == sum(isinstance(chart, GroupThresholds) for chart in thresholds.charts)
    assert "share selected" in words_of(drawn[0])


def test_the_same_exhibit_is_drawn_the_same_every_time(exhibits: dict[str, Exhibit]) -> None:
    for exhibit in exhibits.values():
        assert draw(exhibit) == draw(exhibit)
