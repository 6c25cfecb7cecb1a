"""In which order a run makes its fits: what answers a question soonest comes first."""

from collections.abc import Mapping, Sequence

from brookfall.core.retest.run import Asked


def order_of(asked: Sequence[Asked], seconds: Mapping[str, float]) -> tuple[str, ...]:
    """The fits of a run in the order in which they are to be made.

    First every question gets the exhibit that takes least for it, the soonest answered question first; then the
    other exhibits follow, each time the one that takes least of what is left. What an exhibit takes are its fits
    that are not in the order yet.

    Parameters
    ----------
    asked
        The checks with their needs.
    seconds
        Of each fit that is to be made, by key; what has been made already is left out and takes nothing.

    Returns
    -------
    tuple of str
        Every key of ``seconds`` that a check reads, once.

    Examples
    --------
    >>> from brookfall.core.check.example import small_bench
    >>> from brookfall.core.retest.run import ask, jobs_of
    >>> asked = ask(small_bench())
    >>> keys = [job.fit.key for job in jobs_of(asked)]
    >>> order = order_of(asked, dict.fromkeys(keys, 1.0))
    >>> sorted(order) == sorted(keys)
    True
    """
    keys = {one.number: one.fits for one in asked}
    question = {one.number: one.check.question for one in asked}
    order: dict[str, None] = {}

    def takes(number: int) -> float:
        return sum(seconds[key] for key in keys[number] if key in seconds and key not in order)

    # A check that reads no fit is written at once, and is often one that has nothing to say of this model.
    left = [one.number for one in asked if keys[one.number]]
    unanswered = {question[number] for number in left}
    while left:
        unanswered -= {question[number] for number in left if takes(number) == 0}
        first = [number for number in left if question[number] in unanswered] or left
        soonest = min(first, key=lambda number: (takes(number), number))
        order.update(dict.fromkeys(key for key in keys[soonest] if key in seconds))
        unanswered.discard(question[soonest])
        left.remove(soonest)
    return tuple(order)
