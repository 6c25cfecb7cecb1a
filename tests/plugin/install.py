"""The package of others as an installer would leave it."""

import shutil
import tomllib
from pathlib import Path

PACKAGE = Path(__file__).parent / "package"


def install(folder: Path) -> str:
    """Puts the package into an empty folder; a process that has it on PYTHONPATH finds its entry points."""
    shutil.copytree(PACKAGE / "src", folder, dirs_exist_ok=True, ignore=shutil.ignore_patterns("__pycache__"))
    project = tomllib.loads((PACKAGE / "pyproject.toml").read_text())["project"]
    info = folder / "sample_plugin-1.0.dist-info"
    info.mkdir()
    (info / "METADATA").write_text(f"Metadata-Version: 2.1\nName: {project['name']}\nVersion: {project['version']}\n")
    groups = (
        f"[{group}]\n" + "".join(f"{name} = {target}\n" for name, target in entries.items())
        for group, entries in project["entry-points"].items()
    )
    (info / "entry_points.txt").write_text("\n".join(groups))
    return str(folder)
