"""What the sentences of challengers and of the version in use share."""

from brookfall.core.check.sentence import NO_LIMIT, About, ChoiceField, Option
from brookfall.core.measure.registry import scale_of


def limit_to_challenger(about: About) -> str:
    """The limit on being worse than another model; none where the measure is in the target's own unit."""
    return "limit: worse by ≤ {worse}" if scale_of(about.plan.main_measure) == "share" else NO_LIMIT


def version_field(about: About) -> ChoiceField:
    """The version in use, among those of the model that can be refitted."""
    held = None if about.plan.in_use is None else about.plan.in_use.model_dump(mode="json")
    known = [one.model_dump(mode="json") for one in about.versions]
    if held is not None and held not in known:
        known.insert(0, held)
    options = [Option(value=one, words=str(one["version"])) for one in known]
    return ChoiceField(
        name="Version in use",
        path=("in_use",),
        value=held,
        options=(Option(value=None, words="none named" if known else "no other version"), *options),
    )
