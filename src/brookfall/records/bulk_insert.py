"""Inserting bytes by a prepared statement, past the server's SQL parser.

Bytes within the text of a statement are escaped here and scanned byte by byte there: some 30 MiB a second, whatever is
done with them afterwards. A prepared statement's parameters travel as they are, five times as fast. PyMySQL speaks only
the text protocol, so the three commands of the binary one that are wanted are written here (see docs/decisions/0013).
"""

import struct
from collections.abc import Iterable, Sequence
from typing import Any

import pymysql
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

_PREPARE, _EXECUTE, _CLOSE = 0x16, 0x17, 0x19
_LONG, _STRING, _BYTES = b"\x08\x00", b"\xfd\x00", b"\xfb\x00"

Value = int | str | bytes


def insert(session: Session, statement: str, rows: Iterable[Sequence[Value]]) -> None:
    """Carries out an INSERT, with a question mark for each value, once for every row, in the session's transaction.

    Rows may hold whole numbers, text and bytes of up to 1 MiB. Errors are those of any other statement.
    """
    session.flush()
    held: Any = session.connection().connection.driver_connection
    try:
        number = _prepared(held, statement)
        try:
            for row in rows:
                held._execute_command(_EXECUTE, _execution(number, row))
                held._read_packet()
        finally:
            held._execute_command(_CLOSE, struct.pack("<I", number))
            # A closed statement is not answered.
            held._result = None
    except pymysql.MySQLError as problem:
        raise DBAPIError.instance(statement, None, problem, pymysql.MySQLError) from problem


def _prepared(held: Any, statement: str) -> int:
    """The server's number of the prepared statement."""
    held._execute_command(_PREPARE, statement)
    number, columns, parameters = struct.unpack("<IHH", held._read_packet().get_all_data()[1:9])
    for described in (parameters, columns):
        # A packet for each, and one that says that these were all.
        for _ in range(described + 1 if described else 0):
            held._read_packet()
    return int(number)


def _execution(number: int, row: Sequence[Value]) -> bytes:
    """No cursor, one iteration, no nulls, types, values."""
    head = struct.pack("<IBI", number, 0, 1) + bytes((len(row) + 7) // 8) + b"\x01"
    return b"".join([head, *(_type(value) for value in row), *(_packed(value) for value in row)])


def _type(value: Value) -> bytes:
    if isinstance(value, int):
        return _LONG
    return _STRING if isinstance(value, str) else _BYTES


def _packed(value: Value) -> bytes:
    if isinstance(value, int):
        return struct.pack("<q", value)
    data = value.encode() if isinstance(value, str) else value
    return _length(len(data)) + data


def _length(n: int) -> bytes:
    """A length as the protocol writes it, in one to nine bytes."""
    if n < 251:
        return bytes([n])
    if n < 1 << 16:
        return b"\xfc" + struct.pack("<H", n)
    if n < 1 << 24:
        return b"\xfd" + struct.pack("<I", n)[:3]
    return b"\xfe" + struct.pack("<Q", n)
