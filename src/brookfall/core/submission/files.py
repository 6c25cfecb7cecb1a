"""The files of a package, from a folder or a zip: names made safe, sizes bounded, hashed."""

import io
import stat
import zipfile
import zlib
from lzma import LZMAError
from pathlib import Path, PurePosixPath

from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import UserError

MAX_FILES = 200
_LONGEST_PATH = 500
_BLOCK = 1 << 20


def package_hash(files: dict[str, bytes]) -> str:
    """SHA-256 of the lines ``path NUL sha256 LF`` of all files, sorted by path: equal for a folder and its zip.

    >>> package_hash({"a": b"1", "b": b"2"}) == package_hash({"b": b"2", "a": b"1"})
    True
    """
    return sha256("".join(f"{path}\0{sha256(files[path])}\n" for path in sorted(files)).encode())


def files_of_folder(folder: Path, max_bytes: int) -> dict[str, bytes]:
    """Path to bytes of every file below a folder; symbolic links are refused."""
    paths = sorted(path for path in folder.rglob("*") if path.is_file() or path.is_symlink())
    for path in paths:
        if path.is_symlink():
            raise UserError(
                "This is a link.", todo="Put the file itself into the package.", file=str(path.relative_to(folder))
            )
    _refuse_too_many(len(paths))
    _refuse_too_large(sum(path.stat().st_size for path in paths), max_bytes, None)
    return {path.relative_to(folder).as_posix(): path.read_bytes() for path in paths}


def files_of_zip(data: bytes, max_bytes: int) -> dict[str, bytes]:
    """Path to bytes of every file in a zip, counted while unpacking so that a bomb is stopped.

    A single top folder is taken off. Raises UserError for what is no zip, a path that leaves the folder,
    a link, an encrypted or damaged entry, a path twice, or more than ``max_bytes`` unpacked.
    """
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except zipfile.BadZipFile as problem:
        raise UserError(
            "This is not a zip file.", todo="Send the package as .zip, or its files one by one."
        ) from problem
    if not all(entry.filename for entry in archive.infolist()):
        raise UserError("A file in the zip has no name.", todo="Zip it again.")
    entries = [entry for entry in archive.infolist() if not entry.is_dir()]
    _refuse_too_many(len(entries))
    files: dict[str, bytes] = {}
    room = max_bytes
    for entry in entries:
        path = safe_path(entry.filename)
        if stat.S_ISLNK(entry.external_attr >> 16):
            raise UserError("This is a link.", todo="Put the file itself into the package.", file=path)
        if path in files:
            raise UserError("The package has this path twice.", todo="Keep one.", file=path)
        files[path] = _unpack(archive, entry, path, room, max_bytes)
        room -= len(files[path])
    return _without_top_folder(files)


def safe_path(written: str) -> str:
    """The path as it is kept; UserError when it is absolute, leaves the package's folder, or is too long to be kept.

    >>> safe_path("data/rows.csv")
    'data/rows.csv'
    """
    path = PurePosixPath(written.replace("\\", "/"))
    if path.is_absolute() or ".." in path.parts or (path.parts and ":" in path.parts[0]) or not path.parts:
        raise UserError(
            "The path leaves the package's folder.", todo="Use paths below the package's own folder.", file=written
        )
    if len(path.as_posix()) > _LONGEST_PATH:
        raise UserError(f"The path is longer than {_LONGEST_PATH} characters.", todo="Shorten it.", file=written)
    return path.as_posix()


def _unpack(archive: zipfile.ZipFile, entry: zipfile.ZipInfo, path: str, room: int, limit: int) -> bytes:
    blocks: list[bytes] = []
    size = 0
    try:
        with archive.open(entry) as stream:
            while block := stream.read(_BLOCK):
                size += len(block)
                _refuse_too_large(limit - room + size, limit, path)
                blocks.append(block)
    except (zipfile.BadZipFile, zlib.error, LZMAError, RuntimeError, NotImplementedError, EOFError, OSError) as problem:
        raise UserError(
            "The file in the zip is damaged, encrypted or packed in an unknown way.", todo="Zip it again.", file=path
        ) from problem
    return b"".join(blocks)


def _without_top_folder(files: dict[str, bytes]) -> dict[str, bytes]:
    tops = {PurePosixPath(path).parts[0] for path in files}
    if len(tops) != 1 or any("/" not in path for path in files):
        return files
    return {path.partition("/")[2]: data for path, data in files.items()}


def _refuse_too_many(count: int) -> None:
    if count > MAX_FILES:
        raise UserError(f"The package has {count} files.", todo=f"Send at most {MAX_FILES}.")


def _refuse_too_large(size: int, limit: int, file: str | None) -> None:
    if size > limit:
        raise UserError(
            f"The package unpacks to more than the limit of {limit / 1e6:.0f} MB.",
            todo="Send less, or ask the administrator to raise BROOKFALL_MAX_BYTES.",
            file=file,
        )
