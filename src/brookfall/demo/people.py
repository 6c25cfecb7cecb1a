"""The people of the demo, and by what they sign in. It needs no configuration: the launcher tells their names."""

PASSWORD = "hollinmoor-demo"  # noqa: S105 - the demo's, printed at its start

PEOPLE = (
    ("nell", "Nell Farrow", ("owner",)),
    ("iris", "Iris Marrow", ("reviewer",)),
    ("tom", "Tom Aldous", ("reviewer", "countersigner")),
    ("ada", "Ada Quill", ("auditor",)),
    ("wren", "Wren Hale", ("administrator",)),
)


def known_to_provider() -> dict[str, dict[str, object]]:
    """The same people, as the stand-in for the county's own sign-in knows them; and one who was never here."""
    known: dict[str, dict[str, object]] = {
        login: {"name": name, "roles": list(roles), "email": f"{login}@hollinmoor.example"}
        for login, name, roles in PEOPLE
    }
    return known | {
        "orrin": {"name": "Orrin Peel", "roles": ["reviewer", "countersigner"], "email": "orrin@hollinmoor.example"}
    }
