"""What people write: never empty, whatever blanks it is made of."""

from typing import Annotated

from pydantic import StringConstraints

Words = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1)]
