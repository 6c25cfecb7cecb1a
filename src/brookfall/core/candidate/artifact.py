"""The fitted model that was submitted; what it says of rows is not read yet."""

from dataclasses import dataclass

from brookfall.core.candidate.candidate import ARTIFACT, Candidate, ScoredPart
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation.errors import UserError


@dataclass(frozen=True)
class Artifact(Candidate):
    """A fitted model in an open format. It is nobody's candidate on any part until it is run on rows."""

    path: str
    name: str = ARTIFACT
    words: str = "fitted model as submitted"
    colour: str = "artifact"

    @property
    def parts(self) -> tuple[str, ...]:
        return ()

    def needs(self, part: str) -> tuple[Need, ...]:
        self.refuse_other(part)
        return ()

    def scored(self, ledger: Ledger, part: str) -> ScoredPart:  # noqa: ARG002 - it is not run
        raise UserError(f"The fitted model in {self.path} is not run here.", todo="Submit its scores as predictions.")
