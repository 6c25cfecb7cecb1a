"""Inserting bytes by a prepared statement, past the server's SQL parser.

Bytes within the text of a statement are escaped here and scanned byte by byte there: some 30 MiB a second, whatever is
done with them afterwards. A prepared statement's parameters travel as they are (see docs/decisions/0013).
"""

from collections.abc import Iterable, Sequence
from typing import Any

import mariadb
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

Value = int | str | bytes


def insert(session: Session, statement: str, rows: Iterable[Sequence[Value]]) -> None:
    """Carries out an INSERT, with a question mark for each value, once for every row, in the session's transaction.

    Rows may hold whole numbers, text and bytes of up to 1 MiB. Errors are those of any other statement.
    """
    session.flush()
    held: Any = session.connection().connection.driver_connection
    try:
        with held.cursor(binary=True) as cursor:
            for row in rows:
                cursor.execute(statement, tuple(row))
    except mariadb.Error as problem:
        raise DBAPIError.instance(statement, None, problem, mariadb.Error) from problem
