"""Charts and tables as data: what is drawn, by ids of estimates and names of series."""

from typing import Annotated, Literal

from pydantic import Field

from brookfall.core.evidence.estimate import Frozen
from brookfall.core.evidence.limit import Limit
from brookfall.core.evidence.marks import MarksChart


class StripRow(Frozen):
    """One dot with its whisker: the estimate at that place in ``estimates``, and what it is called."""

    estimate: int
    label: str
    colour: str


class StripGroup(Frozen):
    """Rows under one heading; ``claim`` is drawn as a flag, as it was written.

    ``gap`` is the place of the estimate that measures the distance from training to an unseen part. ``brackets`` join
    rows, first and last place, that can't be told apart.
    """

    label: str
    rows: tuple[StripRow, ...]
    claim: str | None = None
    gap: int | None = None
    brackets: tuple[tuple[int, int], ...] = ()


class StripChart(Frozen):
    kind: Literal["strip"] = "strip"
    id: str = ""
    title: str
    unit: str
    groups: tuple[StripGroup, ...]


class RowsOf(Frozen):
    """Whose rows a cell or a bin counts: those of a part as a model scored them, decided at a threshold of their own
    where that is not None; of one outcome alone where that is not None."""

    model: str
    part: str
    threshold: float | None = None
    outcome: str | None = None


class Line(Frozen):
    """A line through the columns ``x`` and ``y`` of a named series.

    With ``rows`` each point is of the rows whose score lies from the series' ``from`` to its ``to``.
    """

    series: str
    label: str
    colour: str
    rows: RowsOf | None = None
    faint: bool = False


class AxisMark(Frozen):
    """A place on the horizontal axis that stands out, such as an observed value among shuffled ones."""

    x: float
    label: str


class LineChart(Frozen):
    kind: Literal["lines"] = "lines"
    id: str = ""
    title: str
    x: str
    y: str
    lines: tuple[Line, ...]
    diagonal: bool = False
    marks: tuple[AxisMark, ...] = ()
    ticks: tuple[str, ...] = Field(default=(), description="what the places 0, 1, 2 … of the axis are called")


class ThresholdChart(Frozen):
    """A handle over the series: columns threshold, tp, fp, fn, tn, and the same for groups in further series."""

    kind: Literal["threshold"] = "threshold"
    id: str = ""
    title: str
    series: str
    submitted: float | None
    whose: Literal["submitted", "plan's"] = "submitted"
    positive: str
    groups: dict[str, str] = Field(default_factory=dict)
    rows: RowsOf | None = None


class MatrixChart(Frozen):
    """A confusion matrix: ``cells[i][j]`` counts rows (or their weights) truly of class i and decided as class j.

    ``baseline`` is the class that one who knows only the training outcomes would always answer.
    """

    kind: Literal["matrix"] = "matrix"
    id: str = ""
    title: str
    classes: tuple[str, ...]
    cells: tuple[tuple[float, ...], ...]
    rows: RowsOf | None = None
    baseline: int | None = None


class TreeColumn(Frozen):
    """What a node may split on, in words: a number, or a level that a row has or has not.

    ``levels`` are the levels in the order of their codes, where a number stands for one. ``mark`` says why to look
    twice: the column is protected, or stands in for what is.
    """

    words: str
    feature: str
    kind: Literal["number", "level", "code", "encoded"]
    levels: tuple[str, ...] = ()
    mark: str | None = None


class TreeChart(Frozen):
    """Trees to look at: each of ``trees`` names a series with a row for every node, the root first.

    Its columns: left, right, column, threshold (in the data's own unit), strength (of pruning), training and unseen
    (rows), share and unseen_share (of the outcome that is drawn, or the mean of a number) with low, high, unseen_low
    and unseen_high, gain and unseen_gain, and answer: the place in ``classes`` of the most frequent training outcome.
    ``one_of`` counts all trees of the model. ``competing`` names a series of the best other splits of the first tree's
    nodes, five a node, the best first: node, column, threshold, gain, unseen_gain, log_p (−log10 p) and corrected.
    """

    kind: Literal["tree"] = "tree"
    id: str = ""
    title: str
    trees: tuple[str, ...]
    columns: tuple[TreeColumn, ...]
    outcome: str
    classes: tuple[str, ...] = ()
    one_of: int = 1
    competing: str | None = None


class DialChart(Frozen):
    """A handle over the values of a family's own dial, from the simplest to the most complex.

    ``points`` are the values as they are written. The series has for each of ``criteria`` the columns
    ``<criterion> training``, ``<criterion> unseen``, and the ends ``<criterion> low`` and ``<criterion> high`` of the
    unseen one's interval. ``submitted``, ``best`` and ``simplest`` (within one standard error
    of the best, by the first criterion) are places among the points. ``tree`` names a tree chart that is pruned to
    the handle; ``strengths`` are then the pruning of every point.
    """

    kind: Literal["dial"] = "dial"
    id: str = ""
    title: str
    setting: str
    series: str
    criteria: tuple[str, ...]
    points: tuple[str, ...]
    submitted: int
    best: int
    simplest: int
    tree: TreeChart | None = None
    strengths: tuple[float, ...] = ()


class SuspectList(Frozen):
    """Rows whose labels the others contradict, the strongest first.

    The series has the columns row (position in the table), submitted (position in the submitted table, by which it is
    marked), label and suggested (places in ``classes``, or numbers), probability (of the suggestion; of a number the
    modified z score), margin. ``part`` is where they were scored; ``found`` counts all, listed or not. ``sample`` names
    a series of the same columns: rows drawn at random among suspects and others, in random order, which give the share
    of wrong labels once all are marked; empty where none were drawn.
    """

    kind: Literal["suspects"] = "suspects"
    id: str = ""
    title: str
    series: str
    classes: tuple[str, ...] = ()
    part: str
    found: int
    sample: str = ""


class CriterionStrip(Frozen):
    """One criterion in every group of a ground.

    ``rows`` are the places of the groups' estimates, in the order of the groups; ``against`` those of each group's
    comparison of that kind with the reference, ``comparisons`` those of all its judged comparisons, and ``settle`` is
    about how many rows of the group would settle the first of them that these rows can't tell. ``low`` and ``high``
    are the limits on this strip's own scale, where they are the same for every group; else ``ends`` are those of each
    group, as the value of everyone else sets them.
    """

    measure: str
    words: str
    rows: tuple[int, ...]
    kind: Literal["ratio", "difference", "itself"]
    against: tuple[int | None, ...]
    comparisons: tuple[tuple[int, ...], ...]
    settle: tuple[int | None, ...]
    low: float | None = None
    high: float | None = None
    ends: tuple[tuple[float | None, float | None], ...] = ()


class GroundChart(Frozen):
    """The page of one ground: a strip a criterion over the same groups, and curves by group.

    ``reference`` is the place of the group that all others are set against; None where each is set against everyone
    else.

    ``cuts`` lie between the bands of a number, and ``levels`` are those of a category as the data have them: by these
    the groups can be made otherwise.
    """

    kind: Literal["ground"] = "ground"
    id: str = ""
    title: str
    attribute: str
    groups: tuple[str, ...]
    sizes: tuple[int, ...]
    strips: tuple[CriterionStrip, ...]
    curves: tuple[LineChart, ...] = ()
    cuts: tuple[float, ...] | None = None
    levels: tuple[str, ...] = ()
    reference: int | None = 0


class CombinedGroup(Frozen):
    """A group of a combination: its levels, how many rows it has, and the places of its estimates by measure.

    ``judged`` are the places of its judged comparisons. ``worse`` are the measures in which it does worse than the
    others who share its levels but for any one.
    """

    levels: tuple[str, ...]
    n: int
    rates: dict[str, int] = Field(default_factory=dict)
    judged: dict[str, tuple[int, ...]] = Field(default_factory=dict)
    worse: tuple[str, ...] = ()


class Combination(Frozen):
    """Grounds crossed with each other; ``reference`` is the place of the reference group, None where each group is set
    against everyone else."""

    attributes: tuple[str, ...]
    groups: tuple[CombinedGroup, ...]
    reference: int | None


class CombinationChart(Frozen):
    """Every combination of grounds, to be looked at as a matrix of two of them or as a list, by one criterion.

    ``singles`` are the groups of single grounds and ``whole`` all rows, with the same measures: the upper rungs.
    ``criteria`` are the measures with their words.
    """

    kind: Literal["combinations"] = "combinations"
    id: str = ""
    title: str
    criteria: dict[str, str]
    whole: CombinedGroup
    singles: tuple[Combination, ...]
    combinations: tuple[Combination, ...]


class MapPoint(Frozen):
    """A feature, or two together, against one attribute: the places of its association and of its influence."""

    feature: str
    attribute: str
    association: int
    influence: int | None = None
    protected: bool = False


class ProxyMap(Frozen):
    """Every feature by how strongly it goes with an attribute and by how much the model leans on it."""

    kind: Literal["proxies"] = "proxies"
    id: str = ""
    title: str
    attributes: tuple[str, ...]
    points: tuple[MapPoint, ...]


class GroupThresholds(Frozen):
    """Counts by group along the threshold: each series has the columns threshold, tp, fp, fn, tn.

    ``reference`` is the series of the group that all others are set against; None where each is set against everyone
    else but ``unrecorded``. The limits are the policy's on the ratio of selection and on differences of rates.
    """

    kind: Literal["group_thresholds"] = "group_thresholds"
    id: str = ""
    title: str
    attribute: str
    groups: dict[str, str]
    reference: str | None
    submitted: float | None
    whose: Literal["submitted", "plan's"] = "submitted"
    unrecorded: str | None = None
    ratio: Limit
    difference: Limit


Chart = Annotated[
    StripChart
    | LineChart
    | ThresholdChart
    | MatrixChart
    | DialChart
    | TreeChart
    | SuspectList
    | GroundChart
    | CombinationChart
    | ProxyMap
    | GroupThresholds
    | MarksChart,
    Field(discriminator="kind"),
]
"""Any chart, told apart by its kind."""


class Cell(Frozen):
    """A cell of a table: text, or the estimate at that place."""

    text: str | None = None
    estimate: int | None = None


class TableView(Frozen):
    """Cells of text and estimates; ``about`` is the id of the chart that it belongs to, where one page shows both."""

    id: str = ""
    title: str
    about: str | None = None
    columns: tuple[str, ...]
    rows: tuple[tuple[Cell, ...], ...]
