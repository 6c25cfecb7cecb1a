"""Made-up columns as the text of files."""

import csv
import io

import numpy as np
import yaml
from numpy.typing import NDArray

SEED = 1947
Files = dict[str, bytes]


def texts(values: NDArray[np.generic], rng: np.random.Generator | None = None, gaps: float = 0.0) -> list[str]:
    written = [f"{value:g}" for value in values.astype(np.float64)]
    if rng is None:
        return written
    return ["" if gap else one for one, gap in zip(written, rng.random(len(written)) < gaps, strict=True)]


def as_csv(columns: dict[str, list[str]]) -> bytes:
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(columns)
    writer.writerows(zip(*columns.values(), strict=True))
    return stream.getvalue().encode()


def as_yaml(declaration: dict[str, object]) -> bytes:
    return yaml.safe_dump(declaration, sort_keys=False, allow_unicode=True).encode()
