"""The acts that the record knows, by what they are about: whoever reads it can ask for those of one kind."""

from typing import Literal, get_args

Kind = Literal[
    "case",
    "data",
    "plan",
    "run",
    "statement",
    "finding",
    "question",
    "decision",
    "approval",
    "model",
    "rows",
    "policy",
    "people",
    "record",
]
KINDS: tuple[Kind, ...] = get_args(Kind)

ACTS: dict[Kind, frozenset[str]] = {
    "case": frozenset(
        {
            "submitted",
            "took the case",
            "released the case",
            "handed the case over",
            "gave the case another date",
            "gave the case another priority",
            "took the proposal back",
            "withdrew the case",
            "opened a re-review",
            "shared a note",
        }
    ),
    "data": frozenset(
        {
            "changed roles",
            "changed the table",
            "added a table",
            "took a table away",
            "marked labels",
            "asked for new rows to be scored",
            "scored new rows",
        },
    ),
    "plan": frozenset(
        {
            "changed the plan",
            "named the plan",
            "began from a set-up",
            "locked the plan",
            "opened a deviation",
            "closed a deviation",
            "closed a deviation without a change",
        }
    ),
    "run": frozenset(
        {
            "started a run",
            "laid out a run",
            "finished a run",
            "cancelled a run",
            "asked for a replay",
            "replayed an exhibit",
        }
    ),
    "statement": frozenset(
        {
            "wrote a statement",
            "changed a statement",
            "withdrew a statement",
            "attached a file to a statement",
            "took a file away from a statement",
            "overruled a standing",
            "took an overruling back",
        }
    ),
    "finding": frozenset(
        {
            "drafted a finding",
            "wrote a finding",
            "changed a finding",
            "sent a finding",
            "answered a finding",
            "asked for a retest",
            "cancelled a retest",
            "retested a finding",
            "closed a finding",
            "accepted a risk",
            "reopened a finding",
            "withdrew a finding",
            "commented on a finding",
            "sent a file about a finding",
        }
    ),
    "question": frozenset(
        {
            "asked the owner",
            "answered a question",
            "asked a question again",
            "settled a question",
            "withdrew a question",
            "commented on a question",
            "sent a file about a question",
        }
    ),
    "decision": frozenset({"proposed a decision", "countersigned", "sent the decision back", "rendered the report"}),
    "approval": frozenset(
        {
            "sent evidence for a condition",
            "judged a condition met",
            "judged a condition not met",
            "saw that a condition is met",
            "sent a condition back to be judged",
            "commented on a condition",
            "sent a file about a condition",
            "an approval lapsed",
            "told of a date to come",
        }
    ),
    "model": frozenset(
        {
            "added a member of the model",
            "removed a member of the model",
            "said which version is in use",
            "changed the tier of a model",
            "said which team a model is of",
            "withdrew a model",
            "took up a model again",
        }
    ),
    "rows": frozenset(
        {"proposed to take rows away", "agreed to take rows away", "declined to take rows away", "took rows away"}
    ),
    "policy": frozenset(
        {
            "drafted a policy",
            "discarded the draft of a policy",
            "proposed a policy",
            "countersigned a policy",
            "sent a policy back",
            "kept a template",
            "changed a template",
            "closed a template",
        }
    ),
    "people": frozenset(
        {
            "added a person",
            "changed a person's roles",
            "made a one-time link",
            "took a second factor away",
            "made a team",
            "changed a team",
            "disabled a person",
            "enabled a person",
            "made a token",
            "revoked a token",
            "chose how to be mailed",
        },
    ),
    "record": frozenset({"changed the key of the record", "announced a key of the record"}),
}
"""Of each kind every act, worded as its entries have it. What no kind has can't be entered."""

VALIDATORS_ALONE = frozenset({"shared a note"})
"""Acts that who reads of their own models alone is not told of."""

_KIND_OF: dict[str, Kind] = {act: kind for kind, acts in ACTS.items() for act in acts}


def kind_of(act: str) -> Kind | None:
    """What an act is about.

    Parameters
    ----------
    act
        As an entry of the record has it.

    Returns
    -------
    str or None
        One of ``KINDS``; None of an act that the record doesn't know.

    Examples
    --------
    >>> kind_of("closed a finding"), kind_of("painted the house")
    ('finding', None)
    """
    return _KIND_OF.get(act)
