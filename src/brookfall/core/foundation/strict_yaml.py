"""YAML that a stranger wrote: at most 1 MB of text, lists and mappings, without aliases and tags."""

from typing import Any

import yaml

from brookfall.core.foundation.errors import UserError

MAX_BYTES = 1_000_000


class StrictLoader(yaml.SafeLoader):
    """Refuses what a plain file has no need of: an alias may grow without end, a tag asks for another kind."""

    def compose_node(self, parent: yaml.Node | None, index: int) -> yaml.Node | None:
        event: Any = self.peek_event()  # type: ignore[no-untyped-call]
        refused = "aliases" if isinstance(event, yaml.AliasEvent) else "tags" if getattr(event, "tag", None) else ""
        if refused:
            raise yaml.MarkedYAMLError(problem=f"{refused} are not allowed here", problem_mark=event.start_mark)
        return super().compose_node(parent, index)


def load_yaml(text: bytes | str, file: str, todo: str, loader: type[StrictLoader] = StrictLoader) -> Any:
    """What the text says.

    Raises
    ------
    UserError
        It is too long, is no YAML, or has an alias or a tag; says in which line, and ``todo``.

    Examples
    --------
    >>> load_yaml("a: [1, yes]", "plan.yaml", "Mend it.")
    {'a': [1, True]}
    """
    if len(text) > MAX_BYTES:
        raise UserError("The file is longer than 1 MB.", todo=todo, file=file)
    try:
        return yaml.load(text, Loader=loader)  # noqa: S506 - a safe loader
    except yaml.MarkedYAMLError as problem:
        mark = problem.problem_mark or problem.context_mark
        raise UserError(
            f"The YAML can't be read: {problem.problem or problem.context}.",
            todo=todo,
            file=file,
            row=mark.line + 1 if mark else None,
        ) from problem
    except (yaml.YAMLError, ValueError, RecursionError) as problem:
        raise UserError("The YAML can't be read.", todo=todo, file=file) from problem
