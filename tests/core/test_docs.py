"""What the documents say is there is there."""

import re
import tomllib

import pytest

from tests.conftest import PROJECT

SOURCE = PROJECT / "src" / "brookfall"
DOCS = ("docs/architecture.md", "CONTRIBUTING.md")


@pytest.mark.parametrize("doc", DOCS)
def test_every_file_that_is_named_exists(doc: str) -> None:
    named = re.findall(r"`([\w./]+/[\w]+\.(?:py|ts|tsx|toml|md))`", (PROJECT / doc).read_text())
    places = (PROJECT, SOURCE, SOURCE / "core")
    assert [one for one in named if not any((place / one).is_file() for place in places)] == []
    assert len(named) > 20 or doc != DOCS[0]


def test_the_newest_entry_of_the_changelog_is_of_this_version() -> None:
    entries = re.findall(r"^## (\S+)$", (PROJECT / "CHANGELOG.md").read_text(), re.M)
    assert entries[0] == tomllib.loads((PROJECT / "pyproject.toml").read_text())["project"]["version"]
