"""Names of parts as owners write them."""

_PART_NAMES = {
    "train": "training",
    "training": "training",
    "development": "training",
    "valid": "validation",
    "validation": "validation",
    "dev": "validation",
    "test": "test",
    "holdout": "test",
}


ORDER = ("training", "validation", "test")
"""In which parts are shown, others after them."""


def part_name(written: str) -> str:
    """Brookfall's name of a part from the name in a file; unknown names are kept as they are.

    Parameters
    ----------
    written : str
        The name as it is written.

    Returns
    -------
    str
        Brookfall's name, or the name as written.

    Examples
    --------
    >>> part_name("Dev"), part_name("spring")
    ('validation', 'spring')
    """
    return _PART_NAMES.get(written.strip().lower(), written.strip())
