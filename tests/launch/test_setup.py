"""What is there already is not installed again."""

import os
import subprocess
from pathlib import Path

PROJECT = Path(__file__).resolve().parents[2]
LIBRARIES = ("libpango-1.0.so.0", "libpangoft2-1.0.so.0", "libharfbuzz-subset.so.0", "libgomp.so.1")


def script(folder: Path, name: str, text: str) -> None:
    file = folder / name
    file.write_text(f"#!/bin/sh\n{text}\n")
    file.chmod(0o755)


def test_no_debian_package_is_installed_where_none_is_missing(tmp_path: Path) -> None:
    called = tmp_path / "called"
    # A list so long that whoever stops reading at the first match breaks the pipe.
    listed = "\\n".join((*LIBRARIES, *("another.so" for _ in range(40_000))))
    script(tmp_path, "ldconfig", f"printf '{listed}\\n'")
    for name in ("apt-get", "sudo"):
        script(tmp_path, name, f"echo {name} >> {called}; exit 1")
    for name in ("mariadbd", "mariadb-install-db", "my_print_defaults", "redis-server", "chromium-headless-shell"):
        script(tmp_path, name, "exit 0")
    # Python and the front end are set up; this is about Debian's packages alone.
    for name in ("python3", "npm"):
        script(tmp_path, name, "exit 0")
    copy = tmp_path / "project"
    (copy / "scripts").mkdir(parents=True)
    (copy / "scripts" / "setup").write_text((PROJECT / "scripts" / "setup").read_text())
    for folder, names in (
        (".venv", ("requirements.txt", "pyproject.toml")),
        ("web/node_modules", ("web/package-lock.json",)),
    ):
        (copy / folder).mkdir(parents=True, exist_ok=True)
        for name in names:
            (copy / name).write_text(name)
        content = b"".join((copy / name).read_bytes() for name in names)
        stamp = subprocess.run(["sha256sum"], input=content, capture_output=True, check=True).stdout.decode().split()[0]
        (copy / folder / "brookfall.stamp").write_text(stamp + "\n")
    (copy / ".venv" / "bin").mkdir()
    script(copy / ".venv" / "bin", "python", "exit 0")
    environment = {**os.environ, "PATH": f"{tmp_path}:{os.environ['PATH']}"}
    done = subprocess.run(
        ["bash", str(copy / "scripts" / "setup"), "services", "browser"],
        env=environment,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert not called.exists(), called.read_text()
    assert done.stdout == ""
