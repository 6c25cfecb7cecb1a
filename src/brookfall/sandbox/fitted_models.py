"""A stranger's fitted model, run in a child that can do nothing else: one child for as long as it is asked."""

import math
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from socket import socket
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brookfall.core.foundation.errors import UserError
from brookfall.core.recipe.fitted_model import Answers
from brookfall.core.submission.schema import Artifact
from brookfall.core.table.outcome import Outcome
from brookfall.core.table.table import Column
from brookfall.sandbox import frames
from brookfall.sandbox.limits import Limits, limits_for
from brookfall.sandbox.link import KILLS, begin, believed, end, refuse_unconfined

Values = NDArray[np.float64]

_LIBRARIES = ("onnxruntime",)
"""Loaded before the child gives up the disk: it looks at what processor there is."""
_AT_ONCE = 20_000
_SECONDS_AT_ONCE = 60.0
"""For so many rows; a model that takes longer over them would never be through with those that are made up for it."""
_SECONDS = 6 * 3600.0
"""Of CPU for one piece of work; fits have a shorter limit of their own."""


@dataclass(frozen=True)
class ConfinedModel:
    """A fitted model that is opened in a child: where its bytes come from, and what is declared of it."""

    read: Callable[[], bytes]
    declared: Artifact

    @property
    def path(self) -> str:
        return self.declared.path

    @contextmanager
    def __call__(self, features: Sequence[Column], outcome: Outcome, classes: Sequence[str]) -> Iterator[Answers]:
        """The model, asked about rows of these features for as long as the context lasts.

        UserError where it takes other columns or gives other things, can't be run safely here, or passes a limit.
        """
        data = self.read()
        limits = Limits(_SECONDS, limits_for(len(data)).memory)
        try:
            link, hello = begin(limits, _LIBRARIES)
        except (frames.EndedError, OSError) as problem:
            words = "The child in which a fitted model is run could not be started."
            raise UserError(words, todo="Try again later, or ask the administrator.", file=self.path) from problem
        try:
            refuse_unconfined(hello["missing"], self.path)
            heads = [{"name": one.name, "kind": one.kind, "levels": list(one.levels)} for one in features]
            given = {"task": "fitted_model", "path": self.path, "features": heads, "outcome": outcome}
            named = self.declared.graph.classes if self.declared.graph else ()
            given |= {"classes": list(classes), "named": list(named)}
            self._ask(link, limits, given, [data], 0)
            wide = (len(classes),) if outcome == "multiclass" else ()

            def answers(raw: Values) -> Values:
                pieces = [raw[start : start + _AT_ONCE] for start in range(0, max(len(raw), 1), _AT_ONCE)]
                return np.concatenate([self._scores(link, limits, piece, wide) for piece in pieces])

            yield answers
        finally:
            end(link, hello["pid"])

    def _scores(self, link: socket, limits: Limits, raw: Values, wide: tuple[int, ...]) -> Values:
        shape = (len(raw), *wide)
        sent = np.ascontiguousarray(raw, "<f8")
        given = {"task": "scores", "shape": list(sent.shape)}
        told, held = self._ask(link, limits, given, [sent.data.cast("B")] if sent.size else [b""], math.prod(shape) * 8)
        if tuple(told["shape"]) != shape or len(held) != 1 or len(held[0]) != math.prod(shape) * 8:
            raise UserError("The fitted model gave no score for every row.", todo=_LEAVE, file=self.path)
        return np.frombuffer(held[0], "<f8").reshape(shape)

    def _ask(
        self, link: socket, limits: Limits, given: dict[str, Any], buffers: Sequence[frames.Buffer], at_most: int
    ) -> tuple[dict[str, Any], list[bytearray]]:
        deadline = time.monotonic() + _SECONDS_AT_ONCE
        try:
            frames.send(link, given, buffers)
            while True:
                answer, held = frames.receive(link, at_most, deadline)
                if "progress" not in answer:
                    return believed(answer, limits, self.path), held
        except TimeoutError as problem:
            KILLS.labels("time").inc()
            rows = f"{_AT_ONCE:,}".replace(",", " ")
            words = f"The fitted model takes more than {_SECONDS_AT_ONCE:.0f} s over at most {rows} rows."
            raise UserError(words, todo=_LEAVE, file=self.path) from problem
        except (frames.EndedError, OSError) as problem:
            KILLS.labels("memory").inc()
            words = f"The fitted model takes more than {limits.memory / 1e9:.1f} GB of memory, or ends by itself."
            raise UserError(words, todo=_LEAVE, file=self.path) from problem


_LEAVE = "Ask the owner for one that runs, or for the scores alone."
