"""One copy of what several processes read: written to a file once, its arrays mapped into the memory of each."""

import mmap
import pickle
from pathlib import Path
from typing import Any

_ALIGNED = 64
"""Bytes that arrays begin at a multiple of, as those that NumPy makes itself do."""


def write_shared(value: object, path: Path) -> None:
    """Writes what ``read_shared`` gives back: the arrays first, then the rest with where each array stands.

    >>> import tempfile, numpy as np
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     write_shared({"rows": np.arange(3)}, Path(folder) / "copy")
    ...     found = read_shared(Path(folder) / "copy")
    >>> found["rows"].tolist(), found["rows"].flags.writeable
    ([0, 1, 2], False)
    """
    with path.open("wb") as file:
        places: list[tuple[int, int]] = []

        def keep(buffer: pickle.PickleBuffer) -> None:
            file.seek(-file.tell() % _ALIGNED, 1)
            places.append((file.tell(), len(buffer.raw())))
            file.write(buffer.raw())

        rest = pickle.dumps(value, protocol=5, buffer_callback=keep)
        head = pickle.dumps((places, rest), protocol=5)
        file.write(head)
        file.write(len(head).to_bytes(8, "little"))


def read_shared(path: Path) -> Any:
    """What this program itself wrote there; its arrays can't be written to, and stay mapped as long as they are held.

    Only for a file of this process's parent: whoever can write the file can run what they like.
    """
    with path.open("rb") as file:
        mapped = memoryview(mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ))
    ends = len(mapped) - 8
    size = int.from_bytes(mapped[ends:], "little")
    places, rest = pickle.loads(mapped[ends - size : ends])  # noqa: S301 - written by this program, see above
    buffers = [mapped[start : start + length] for start, length in places]
    return pickle.loads(rest, buffers=buffers)  # noqa: S301
