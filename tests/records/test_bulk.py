"""Bytes in by prepared statements: the same bytes, in the same transaction, with errors like any other."""

import numpy as np
import pytest
from sqlalchemy import text
from sqlalchemy.exc import IntegrityError, OperationalError

from brookfall.core.foundation.digest import sha256
from brookfall.launch.house import House
from brookfall.records import blobs, bulk_insert
from brookfall.records.database import transaction

STATEMENT = "INSERT INTO blob_chunk (sha256, seq, data) VALUES (?, ?, ?)"


@pytest.mark.parametrize("size", [0, 1, 250, 251, 65_535, 65_536, (1 << 20) - 1, 1 << 20, (3 << 20) + 7])
def test_what_goes_in_comes_out(stores: House, size: int) -> None:
    data = np.random.default_rng(size).bytes(size)
    with transaction() as session:
        name = blobs.put(session, data)
    with transaction() as session:
        assert blobs.get(session, name) == data
        rows = session.execute(text("SELECT COUNT(*) FROM blob_chunk WHERE sha256 = :name"), {"name": name})
        assert rows.scalar() == -(-size // blobs.CHUNK)


def test_bytes_that_would_need_escaping(stores: House) -> None:
    data = b"'\"\\\0\x1a\n\r%s?;--" + bytes(range(256)) + "größe – 漢".encode()
    with transaction() as session:
        assert blobs.get(session, blobs.put(session, data)) == data


def test_it_is_part_of_the_transaction(stores: House) -> None:
    data = b"never kept"
    with transaction() as session:
        assert blobs.put(session, data) == sha256(data)
        session.rollback()
    with transaction() as session, pytest.raises(blobs.DamagedError):
        blobs.get(session, sha256(data))


def test_the_session_goes_on_afterwards(stores: House) -> None:
    with transaction() as session:
        for place in range(30):
            blobs.put(session, f"one of many {place}".encode())
            assert session.execute(text("SELECT 1 + :x"), {"x": place}).scalar() == place + 1


def test_errors_are_like_those_of_any_statement(stores: House) -> None:
    with pytest.raises(OperationalError), transaction() as session:
        bulk_insert.insert(session, "INSERT INTO no_such_table (a) VALUES (?)", [("x",)])
    with pytest.raises(IntegrityError, match="foreign key"), transaction() as session:
        bulk_insert.insert(session, STATEMENT, [("f" * 64, 0, b"x")])
    with transaction() as session:
        assert session.execute(text("SELECT 2")).scalar() == 2
