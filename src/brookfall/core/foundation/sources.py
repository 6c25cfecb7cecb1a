"""Digests of the sources that a figure rests on: a changed line changes them, a changed comment or docstring does not.

The sources of a module are its own and those of what it imports, module by module, inside its own package. A registry
is where that ends: what it hands out is named by whoever used it, so that one measure more makes nothing stale.
"""

import ast
import hashlib
from collections.abc import Iterable, Iterator, Sequence
from functools import cache, partial
from importlib.util import find_spec
from inspect import unwrap
from pathlib import Path
from types import FunctionType

REGISTRIES = frozenset(
    {
        "brookfall.core.measure.registry",
        "brookfall.core.recipe.families",
        "brookfall.core.check.registry",
        "brookfall.core.retest.run",
    }
)
"""Modules whose own lines count and whose imports do not."""


@cache
def digest_of(*modules: str) -> str:
    """SHA-256 of the sources that these modules rest on.

    Parameters
    ----------
    modules
        Dotted names; one that is not there any more counts as such.

    Examples
    --------
    >>> digest_of("brookfall.core.foundation.errors") == digest_of("brookfall.core.foundation.errors")
    True
    """
    held = hashlib.sha256()
    for name in sorted(rests_on(*modules)):
        held.update(f"{name} {_own_digest(name)}\n".encode())
    return held.hexdigest()


def digest_of_callables(*taken: object) -> str:
    """SHA-256 of what these functions rest on: of their own module the definitions they reach, of others all.

    Parameters
    ----------
    taken
        Functions, classes, partial functions and closures with all they hold; a plain value counts as itself.

    Examples
    --------
    >>> digest_of_callables(source_digest) == digest_of_callables(package_digest)
    False
    """
    defined: set[tuple[str, str]] = set()
    values: set[str] = set()
    for one in taken:
        _gather(one, defined, values)
    own: set[str] = set()
    modules: set[str] = set()
    for module, name in defined:
        reached, imported = _reached(module, name)
        own.update(f"{module}.{one}" for one in reached)
        modules |= imported
    held = [f"{one} {_definition_digest(*one.rsplit('.', 1))}" for one in sorted(own)]
    return hashlib.sha256(repr((held, sorted(values), digest_of(*sorted(modules)))).encode()).hexdigest()


def _gather(one: object, defined: set[tuple[str, str]], values: set[str]) -> None:
    """The definitions that a function comes from, and the plain values that it holds."""
    one = unwrap(one) if callable(one) else one
    if isinstance(one, partial):
        for inner in (one.func, *one.args, *one.keywords.values()):
            _gather(inner, defined, values)
    elif isinstance(one, FunctionType):
        defined.add((one.__module__, one.__qualname__.partition(".")[0]))
        for cell in one.__closure__ or ():
            _gather(cell.cell_contents, defined, values)
    elif isinstance(one, type):
        defined.add((one.__module__, one.__qualname__.partition(".")[0]))
    elif callable(one):
        _gather(type(one), defined, values)
    else:
        values.add(repr(one))


@cache
def _definitions(module: str) -> tuple[dict[str, list[ast.stmt]], dict[str, frozenset[str]]]:
    """What a module defines, by name, and the modules behind the names that it imports."""
    file = _file_of(module)
    defined: dict[str, list[ast.stmt]] = {}
    imported: dict[str, frozenset[str]] = {}
    for node in ast.parse(file.read_text(encoding="utf-8")).body if file is not None else ():
        if isinstance(node, ast.Import | ast.ImportFrom):
            for alias in node.names:
                bound = alias.asname or alias.name.partition(".")[0]
                imported[bound] = _ours(module, _modules_in(node, [alias.name]))
        else:
            for name in _bound(node):
                defined.setdefault(name, []).append(node)
    return defined, imported


def _bound(node: ast.stmt) -> set[str]:
    if isinstance(node, ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef):
        return {node.name}
    return {one.id for one in ast.walk(node) if isinstance(one, ast.Name) and isinstance(one.ctx, ast.Store)}


@cache
def _reached(module: str, name: str) -> tuple[frozenset[str], frozenset[str]]:
    """The definitions of a module that one of them reaches, itself among them, and the modules these import."""
    defined, imported = _definitions(module)
    found: set[str] = set()
    modules: set[str] = set()
    waiting = [name]
    while waiting:
        one = waiting.pop()
        if one in found:
            continue
        if one not in defined:
            modules |= imported.get(one, frozenset())
            continue
        found.add(one)
        named = {node.id for stmt in defined[one] for node in ast.walk(stmt) if isinstance(node, ast.Name)}
        waiting.extend(named - found)
    return frozenset(found), frozenset(modules)


@cache
def _definition_digest(module: str, name: str) -> str:
    return source_digest("\n".join(ast.unparse(one) for one in _definitions(module)[0][name]))


def rests_on(*modules: str) -> frozenset[str]:
    """These modules and all that they import, inside their own packages.

    >>> "brookfall.core.foundation.errors" in rests_on("brookfall.core.table.read_csv")
    True
    """
    found: set[str] = set()
    waiting = list(modules)
    while waiting:
        name = waiting.pop()
        if name not in found:
            found.add(name)
            waiting.extend(_imports(name) - found if name not in REGISTRIES else ())
    return frozenset(found)


@cache
def package_digest(package: str) -> str:
    """SHA-256 of every module of a package: the program as a whole.

    >>> len(package_digest("brookfall.core.foundation"))
    64
    """
    spec = find_spec(package)
    if spec is None or not spec.submodule_search_locations:
        return digest_of(package)
    root = Path(next(iter(spec.submodule_search_locations)))
    held = hashlib.sha256()
    for file in sorted(root.rglob("*.py")):
        held.update(f"{file.relative_to(root)} {_digest_of_file(file)}\n".encode())
    return held.hexdigest()


def source_digest(source: str) -> str:
    """SHA-256 of what a source says, without its comments, docstrings and layout.

    >>> source_digest("x = 1  # one") == source_digest("x  =  1")
    True
    >>> source_digest("x = 1") == source_digest("x = 2")
    False
    """
    return _digest_of_tree(ast.parse(source))


def _digest_of_tree(tree: ast.Module) -> str:
    """As :func:`source_digest`; the tree has no docstrings any more afterwards."""
    for node in (tree, *_statements(tree)):
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef):
            node.body = [one for one in node.body if not _is_docstring(one)] or [ast.Pass()]
    return hashlib.sha256(ast.unparse(tree).encode()).hexdigest()


def _is_docstring(node: ast.stmt) -> bool:
    return isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant) and isinstance(node.value.value, str)


@cache
def _own_digest(name: str) -> str:
    file = _file_of(name)
    return "absent" if file is None else _digest_of_file(file)


def _digest_of_file(file: Path) -> str:
    return _read(file)[0]


@cache
def _read(file: Path) -> tuple[str, tuple[ast.Import | ast.ImportFrom, ...]]:
    """The digest of a source, and what it imports but for type checkers."""
    tree = ast.parse(file.read_text(encoding="utf-8"))
    every = _statements(tree, typed=False)
    imports = tuple(node for node in every if isinstance(node, ast.Import | ast.ImportFrom))
    return _digest_of_tree(tree), imports


@cache
def _file_of(name: str) -> Path | None:
    try:
        spec = find_spec(name)
    except (ImportError, ValueError):
        return None
    return Path(spec.origin) if spec is not None and spec.origin and spec.origin.endswith(".py") else None


@cache
def _imports(name: str) -> frozenset[str]:
    file = _file_of(name)
    if file is None:
        return frozenset()
    return _ours(name, {one for node in _read(file)[1] for one in _modules_in(node, [a.name for a in node.names])})


def _modules_in(node: ast.Import | ast.ImportFrom, names: Sequence[str]) -> set[str]:
    """The modules behind names that an import binds."""
    if isinstance(node, ast.Import):
        return set(names)
    return _named(node.module, names) if node.level == 0 and node.module else set()


def _ours(name: str, modules: Iterable[str]) -> frozenset[str]:
    """Of these modules those of the module's own package, and of this program."""
    return frozenset(one for one in modules if one.partition(".")[0] in (name.partition(".")[0], "brookfall"))


def _named(module: str, names: Iterable[str]) -> set[str]:
    """The modules that an import names: submodules of a package, or the module itself."""
    inside = {f"{module}.{name}" for name in names if _file_of(f"{module}.{name}") is not None}
    return inside or {module}


def _statements(tree: ast.AST, *, typed: bool = True) -> Iterator[ast.stmt]:
    """Every statement, however deep; not ``typed``: but what is there for type checkers alone."""
    for part in ("body", "handlers", "orelse", "finalbody", "cases"):
        for node in getattr(tree, part, ()):
            if not typed and isinstance(node, ast.If) and getattr(node.test, "id", None) == "TYPE_CHECKING":
                continue
            if isinstance(node, ast.stmt):
                yield node
            yield from _statements(node, typed=typed)
