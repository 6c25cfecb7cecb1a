"""Files that people send with what they write: kept as they are, and never read here."""

from collections.abc import Collection
from pathlib import PurePosixPath

from brookfall.core.foundation.errors import UserError

MAX_FILES = 20
MAX_BYTES = 20_000_000


def name_of(sent: tuple[str, bytes], others: Collection[str]) -> str:
    """The name that a file is kept under.

    Parameters
    ----------
    sent
        The name it was sent under, whatever folders that names, and its bytes.
    others
        The names of the files that are there already.

    Raises
    ------
    UserError
        It has no name that can be kept, is empty or over 20 MB, or would be the 21st.
    """
    path, data = PurePosixPath(sent[0].replace("\\", "/")).name.strip(), sent[1]
    if not path or len(path) > 200 or not path.isprintable():
        raise UserError("The file has no name that can be kept.", todo="Give it a short, plain name and send it again.")
    if not data:
        raise UserError("The file is empty.", todo="Choose another.", file=path)
    if len(data) > MAX_BYTES:
        raise UserError(f"The file is larger than {MAX_BYTES // 10**6} MB.", todo="Attach a smaller one.", file=path)
    if path not in others and len(others) >= MAX_FILES:
        raise UserError(f"{MAX_FILES} files are attached already.", todo="Take one away first, or send a .zip.")
    return path
