"""Every check by name, in the order of the seven questions."""

from brookfall.core.check.check import Check
from brookfall.core.check.claims.claims import Claims
from brookfall.core.check.data.association import WithTarget
from brookfall.core.check.data.duplicates import Repeats
from brookfall.core.check.data.labels import LabelCheck
from brookfall.core.check.data.leaks import Leaks
from brookfall.core.check.data.profile import Profile
from brookfall.core.check.data.shift import PartShift
from brookfall.core.check.data.without_leaks import WithoutLeaks
from brookfall.core.check.fairness.direct_use import DirectUse
from brookfall.core.check.fairness.group_by_group import ByGroup
from brookfall.core.check.fairness.group_combinations import Combined
from brookfall.core.check.fairness.group_thresholds import ByThreshold
from brookfall.core.check.fairness.group_versions import OverVersions
from brookfall.core.check.fairness.leaving_out import LeavingOut
from brookfall.core.check.fairness.not_collected import NotCollected
from brookfall.core.check.fairness.proxies import Proxies
from brookfall.core.check.memory.complexity_curve import Complexity
from brookfall.core.check.memory.gap import Gap
from brookfall.core.check.memory.leaked_preprocessing import Preparation
from brookfall.core.check.memory.learning_curve import Learning
from brookfall.core.check.memory.optimism import Optimism
from brookfall.core.check.memory.shuffled_target import Shuffled
from brookfall.core.check.memory.trees import Trees
from brookfall.core.check.sense.choice_model import Choice
from brookfall.core.check.sense.coefficients import CoefficientCheck
from brookfall.core.check.sense.partial_dependence import Shape
from brookfall.core.check.sense.permutation_importance import Influence
from brookfall.core.check.sense.sensitivity import Sensitivity
from brookfall.core.check.simpler.baseline import Baseline
from brookfall.core.check.simpler.challengers import Challengers
from brookfall.core.check.simpler.version_in_use import AgainstInUse
from brookfall.core.check.unseen.cross_validation import CrossValidation
from brookfall.core.check.unseen.holdout import Holdout
from brookfall.core.check.unseen.luck_of_the_split import Luck
from brookfall.core.check.unseen.segments import Segments
from brookfall.core.check.unseen.threshold import Threshold
from brookfall.core.plan.plan import CHECKS

_ALL: tuple[Check, ...] = (
    Profile(),
    WithTarget(),
    Leaks(),
    WithoutLeaks(),
    Repeats(),
    PartShift(),
    LabelCheck(),
    Claims(),
    Holdout(),
    CrossValidation(),
    Threshold(),
    Luck(),
    Segments(),
    Gap(),
    Shuffled(),
    Complexity(),
    Learning(),
    Preparation(),
    Optimism(),
    Trees(),
    Baseline(),
    Challengers(),
    AgainstInUse(),
    ByGroup(),
    Combined(),
    DirectUse(),
    Proxies(),
    LeavingOut(),
    NotCollected(),
    ByThreshold(),
    OverVersions(),
    CoefficientCheck(),
    Influence(),
    Shape(),
    Sensitivity(),
    Choice(),
)

FORMER: dict[str, str] = {
    "selection": "Selection",
    "selection_pairs": "Selection, pairs",
    "errors": "Errors",
    "errors_pairs": "Errors, pairs",
}
"""Checks of question 6 that runs of an earlier program may hold, with their titles."""

CHECK_BY_NAME: dict[str, Check] = {check.name: check for check in _ALL}


def title_of(name: str) -> tuple[str, int]:
    """A check's title and question, of one that is no longer made too.

    >>> title_of("gap"), title_of("errors")
    (('Gap', 4), ('Errors', 6))
    """
    check = CHECK_BY_NAME.get(name)
    return (FORMER[name], 6) if check is None else (check.title, check.question)


if tuple(CHECK_BY_NAME) != CHECKS:
    raise RuntimeError("the plan's list of checks and the registry differ")
