"""Trial fits: two small ones of each kind of fit tell about how long all of them will take."""

import math
from dataclasses import dataclass, replace

import numpy as np

from brookfall.core.fit.execute import execute
from brookfall.core.fit.request import AnyFit, ArtifactRequest, FitJob, ScoreReading
from brookfall.core.foundation import digest
from brookfall.core.submission.subject import Subject

_SMALL, _LARGE = 300, 1_200
_STEEPEST = 3.0


@dataclass(frozen=True)
class Trial:
    """Seconds of a fit on a few rows and on some more; ``failure`` says why there are none."""

    rows: tuple[int, int]
    seconds: tuple[float, float]
    failure: str | None = None

    def seconds_for(self, n: int) -> float:
        """About how long a fit on n rows takes: along the power of n that the two trials show, 0 to 3.

        >>> Trial((100, 400), (0.1, 0.4)).seconds_for(1600)
        1.6
        """
        (few, more), (short, long) = self.rows, self.seconds
        if more <= few or short <= 0 or long <= 0:
            return long
        power = min(max(math.log(long / short) / math.log(more / few), 0.0), _STEEPEST)
        return round(long * (max(n, 1) / more) ** power, 6)


def trial_key(fit: AnyFit) -> str:
    """Names a kind of fit: everything that changes how long it takes but for its rows and its seed.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> import numpy as np
    >>> trial_key(bench.fit(np.arange(50))) == trial_key(bench.fit(np.arange(80)))
    True
    """
    content = fit.plain.content
    return digest.of_json({name: value for name, value in content.items() if name not in ("train", "seed")})


def try_fit(fit: AnyFit, subject: Subject) -> Trial:
    """Makes a plain fit of its kind on 300 and on 1 200 of its rows (fewer where there are no more), drawn by its key.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> try_fit(bench.fit(bench.split.parts["training"]), bench.subject).failure is None
    True
    """
    rng = np.random.default_rng(digest.seed_from("trial", fit.seed_key))
    sizes, seconds = [], []
    for wanted in (_SMALL, _LARGE):
        rows = np.sort(rng.permutation(fit.train)[:wanted])
        # Warm first: what is loaded on first use is no part of a fit's time.
        for _ in range(2 if wanted == _SMALL else 1):
            one = fit if isinstance(fit, ArtifactRequest) else replace(fit.plain, train=rows)
            result = execute(FitJob(one, (ScoreReading(rows),)), subject)
        if result.failure:
            return Trial((0, 0), (0.0, 0.0), result.failure)
        sizes.append(len(rows))
        seconds.append(result.seconds)
    return Trial((sizes[0], sizes[1]), (seconds[0], seconds[1]))
