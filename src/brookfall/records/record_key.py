"""The key that signs the entries of the record: Ed25519, in a file that nobody but the server's own user can read."""

import base64
import os
import stat
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    load_pem_private_key,
)
from sqlalchemy import BigInteger, String
from sqlalchemy.orm import Mapped, mapped_column

from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.signature import key_id
from brookfall.records.base import TABLE_OPTIONS, Base
from brookfall.records.config import config


class AnnouncedKey(Base):
    """A public key that an entry of the record announced; the entry is what counts, this finds it fast."""

    __tablename__ = "announced_key"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[str] = mapped_column(String(16), primary_key=True)
    public: Mapped[str] = mapped_column(String(64))
    entry_id: Mapped[int] = mapped_column(BigInteger)


@dataclass(frozen=True)
class RecordKey:
    """A private key with what the record knows it by."""

    private: Ed25519PrivateKey

    @property
    def public(self) -> str:
        """The public key, as hexadecimal text."""
        return self.private.public_key().public_bytes_raw().hex()

    @property
    def id(self) -> str:
        return key_id(self.public)

    def sign(self, text: str) -> str:
        """The signature of a text, in Base64."""
        return base64.b64encode(self.private.sign(text.encode())).decode()


def make_key(file: Path) -> RecordKey:
    """A new key in a new file, readable by this user alone. UserError where the file is there already."""
    private = Ed25519PrivateKey.generate()
    try:
        descriptor = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        raise UserError(f"{file} is there already.", todo="A key is never written over; name another file.") from None
    with os.fdopen(descriptor, "wb") as stream:
        stream.write(private.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()))
    return RecordKey(private)


def read_key(file: Path) -> RecordKey:
    """The key of a file.

    Raises
    ------
    UserError
        The file is not there, holds no Ed25519 key, or others than its owner may read it.
    """
    try:
        mode = stat.S_IMODE(file.stat().st_mode)
        private = load_pem_private_key(file.read_bytes(), password=None)
    except FileNotFoundError:
        todo = "Make one with 'brookfall record new-key', and set BROOKFALL_RECORD_KEY_FILE."
        raise UserError(f"The record's key {file} is not there.", todo=todo) from None
    except (ValueError, TypeError, OSError) as problem:
        raise UserError(
            f"The record's key {file} can't be read: {problem}.", todo="Restore it from a backup."
        ) from None
    if mode & 0o077:
        raise UserError(f"Others may read the record's key {file}.", todo=f"Run chmod 600 {file}.")
    if not isinstance(private, Ed25519PrivateKey):
        raise UserError(f"The record's key {file} is no Ed25519 key.", todo="Restore it from a backup.")
    return RecordKey(private)


@cache
def record_key() -> RecordKey:
    """The key that this server signs with."""
    return read_key(config().record_key_file)
