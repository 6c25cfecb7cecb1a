"""Reads exhibits of every revision that was ever written, as ones of the present revision.

Revision 1 has no ids: quantity and comparison stood in one name, which ended in ``_difference``, ``_ratio``,
``_gap`` or ``_p_value``, and a p value was Holm's. Its reader is frozen.
"""

from collections.abc import Mapping
from typing import Any, Final

from brookfall.core.evidence.estimate import Comparison, Labels
from brookfall.core.evidence.exhibit import Exhibit

REVISION: Final = 2

_TOO_FEW = "too few to judge"
_SUFFIXES: tuple[Comparison, ...] = ("difference", "ratio", "gap", "change", "p_value")
_NO_COMPARISON = frozenset({"fold_sd_ratio", "odds_ratio", "rate_ratio", "mean_ratio", "coefficient_ratio"})


def read_exhibit(kept: Mapping[str, Any]) -> Exhibit:
    """The exhibit that was kept, whatever its revision.

    Parameters
    ----------
    kept : Mapping[str, Any]
        The exhibit as plain data; of revision 1 where its estimates have no ids.

    Returns
    -------
    Exhibit
        The exhibit, of today's revision.

    Raises
    ------
    pydantic.ValidationError
        A field can't be read.

    Examples
    --------
    >>> provenance = {"seed": 1, "rows": "", "fits": [], "recipe": None, "seconds": 0.0, "scheme": "", "source": ""}
    >>> kept = {"number": 1, "check": "gap", "title": "Gap", "question": 2, "state": "done", "answer": "It is 0.1."}
    >>> estimate = {"measure": "auc_gap", "value": 0.1, "n": 40, "method": "", "leading": True}
    >>> read_exhibit({**kept, "standing": None, "estimates": [estimate], "provenance": provenance}).estimates[0].id
    'gap/auc_gap/recipe/-'
    """
    estimates = kept.get("estimates") or ()
    if all("id" in one for one in estimates) and "open" in kept:
        return Exhibit.model_validate(kept)
    return Exhibit.model_validate(_exhibit_from_1(kept))


def _exhibit_from_1(kept: Mapping[str, Any]) -> dict[str, Any]:
    check = str(kept["check"])
    seen: dict[str, int] = {}
    estimates = [_estimate_from_1(check, one, seen) for one in kept.get("estimates") or ()]
    counts: dict[str, int] = {}
    charts = []
    for chart in kept.get("charts") or ():
        counts[chart["kind"]] = counts.get(chart["kind"], 0) + 1
        charts.append({**chart, "id": f"{check}/{chart['kind']}/{counts[chart['kind']]}"})
    ids = {chart["title"]: chart["id"] for chart in charts}
    tables = [
        {**table, "id": f"{check}/table/{place}", "about": ids.get(table.get("about"), table.get("about"))}
        for place, table in enumerate(kept.get("tables") or (), start=1)
    ]
    unsettled = sum(one["leading"] and (one["few"] or one.get("standing") == "unsettled") for one in estimates)
    return {**kept, "open": unsettled, "estimates": estimates, "charts": charts, "tables": tables}


def _estimate_from_1(check: str, kept: Mapping[str, Any], seen: dict[str, int]) -> dict[str, Any]:
    quantity, comparison = parted(str(kept["measure"]), check)
    label_fields = ("model", "part", "repeat", "group", "attribute", "class", "feature", "threshold", "versus")
    labels = Labels.model_validate(
        {
            "quantity": quantity,
            "comparison": comparison,
            **{name: kept[name] for name in label_fields if name in kept},
        }
    )
    id_ = labels.id_in(check)
    seen[id_] = seen.get(id_, 0) + 1
    judged = kept.get("wide_level") is not None
    return {
        **kept,
        "id": id_ if seen[id_] == 1 else f"{id_}/{seen[id_]}",
        "measure": labels.joined,
        "quantity": quantity,
        "comparison": comparison,
        "few": _TOO_FEW in (kept.get("note") or ""),
        "leading": kept.get("limit") is not None,
        "judged": "simultaneous" if judged else None,
    }


_P_VALUE_OF: dict[str, tuple[str, Comparison]] = {
    "association": ("association", "p_value_holm"),
    "shift": ("shift", "p_value"),
}
"""What a plain ``p_value`` was of, by check; of every other it was of a coefficient, and Holm's."""


def parted(measure: str, check: str) -> tuple[str, Comparison | None]:
    """Quantity and comparison of a measure's name of revision 1.

    Parameters
    ----------
    measure : str
        A measure's name as revision 1 wrote it.
    check : str
        The check that wrote it.

    Returns
    -------
    tuple[str, Comparison | None]
        The quantity, and what it is compared with, or None.

    Examples
    --------
    >>> parted("auc_gap", "gap"), parted("selection_rate_ratio_p_value", "groups"), parted("fold_sd_ratio", "luck")
    (('auc', 'gap'), ('selection_rate_ratio', 'p_value_holm'), ('fold_sd_ratio', None))
    """
    if measure == "p_value":
        return _P_VALUE_OF.get(check, ("coefficient", "p_value_holm"))
    if measure in _NO_COMPARISON or measure.endswith("_fold_sd_ratio"):
        return measure, None
    for suffix in _SUFFIXES:
        if measure.endswith(f"_{suffix}"):
            quantity = measure.removesuffix(f"_{suffix}")
            return quantity, "p_value_holm" if suffix == "p_value" else suffix
    return measure, None
