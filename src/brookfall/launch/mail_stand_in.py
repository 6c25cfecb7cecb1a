"""A stand-in for a mail server: takes whatever it is given on loopback, and puts each letter into a folder."""

import sys
import threading
from itertools import count
from pathlib import Path

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session

_MOST_KEPT = 2000


class Folder:
    """Keeps each letter as a file of its own, named in the order in which they came."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self._folder = folder
        self._numbers = count(1 + max((int(path.stem) for path in folder.glob("*.eml")), default=0))

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:  # noqa: ARG002, N802
        """As the server calls it: the letter is on the disk before it says that it has it."""
        number = next(self._numbers)
        part = self._folder / f"{number:06}.part"
        part.write_bytes(envelope.original_content or b"")
        part.rename(part.with_suffix(".eml"))
        (self._folder / f"{number - _MOST_KEPT:06}.eml").unlink(missing_ok=True)
        return "250 Kept"


def stand_in(port: int, folder: Path) -> Controller:
    """The stand-in on a port of loopback; ``start`` and ``stop`` it."""
    return Controller(Folder(folder), hostname="127.0.0.1", port=port)


def main() -> None:
    controller = stand_in(int(sys.argv[1]), Path(sys.argv[2]))
    controller.start()
    threading.Event().wait()


if __name__ == "__main__":
    main()
