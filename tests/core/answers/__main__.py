"""Writes docs/answers.md."""

from tests.core.answers.situations import SITUATIONS
from tests.core.answers.table import PAGE, page_of

PAGE.write_text(page_of((one.words, one.exhibits()) for one in SITUATIONS))
