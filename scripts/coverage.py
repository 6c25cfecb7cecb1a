"""How much of the code the tests ran: per package the lines, and those that no test reached.

Reads what slipcover wrote for each set of tests, each for the code that is its own. What workers and servers ran in
processes of their own, for the walks in the browser above all, is not counted: the figures are too low, not too high.
"""

import json
import sys
from collections import defaultdict
from pathlib import Path


def main(files: list[str]) -> None:
    ran: dict[str, set[int]] = defaultdict(set)
    lines: dict[str, set[int]] = defaultdict(set)
    for file in files:
        for path, found in json.loads(Path(file).read_text())["files"].items():
            ran[path] |= set(found["executed_lines"])
            lines[path] |= set(found["executed_lines"]) | set(found["missing_lines"])
    counted: dict[str, tuple[int, int]] = defaultdict(lambda: (0, 0))
    for path, all_ in lines.items():
        for package in (_package(path), "all"):
            total, reached = counted[package]
            counted[package] = (total + len(all_), reached + len(ran[path]))
    print("\nLines run by the tests, but for those run in workers and servers of their own:")
    for package, (total, reached) in sorted(counted.items(), key=lambda one: (one[0] == "all", one[0])):
        print(f"  {package:<24}{reached:>7} of {total:>6}  {100 * reached / max(1, total):>5.1f} %")


def _package(path: str) -> str:
    """The two folders under src that a file lies in."""
    parts = Path(path).parts
    below = parts[parts.index("src") + 1 : -1]
    return ".".join(below[:3] if "core" in below else below[:2])


if __name__ == "__main__":
    main(sys.argv[1:])
