"""Reaching the database."""

import random
import time
from collections.abc import Callable
from typing import Concatenate, ParamSpec, TypeVar

from sqlalchemy import Engine, create_engine
from sqlalchemy.exc import DBAPIError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

P = ParamSpec("P")
T = TypeVar("T")

PATIENCE = 4
"""Seconds that the server may take to connect, and to answer a statement."""
_TRIES = 4
_GAVE_WAY = {1213, 1205}
"""ER_LOCK_DEADLOCK, ER_LOCK_WAIT_TIMEOUT: nothing is wrong, another transaction went first."""


def make_engine(url: str) -> Engine:
    """An engine whose sessions see committed rows only as they are read, which claiming jobs relies on.

    A server that hangs is told from one that works: what it does not answer in time is an ``OperationalError``.
    """
    return create_engine(
        url,
        isolation_level="READ COMMITTED",
        pool_pre_ping=True,
        pool_size=10,
        max_overflow=30,
        pool_timeout=PATIENCE,
        connect_args={"connect_timeout": PATIENCE, "read_timeout": PATIENCE, "write_timeout": PATIENCE},
    )


def make_sessions(engine: Engine) -> sessionmaker[Session]:
    return sessionmaker(engine, expire_on_commit=False)


def transact(
    sessions: sessionmaker[Session],
    work: Callable[Concatenate[Session, P], T],
    *args: P.args,
    **options: P.kwargs,
) -> T:
    """Carry out ``work`` in a transaction of its own, again when it had to give way to another's."""
    for tried in range(1, _TRIES + 1):
        try:
            with sessions.begin() as session:
                return work(session, *args, **options)
        except OperationalError as error:
            if tried == _TRIES or error_code(error) not in _GAVE_WAY:
                raise
        time.sleep(random.uniform(0.01, 0.05) * tried)
    raise AssertionError("unreachable")


def error_code(error: DBAPIError) -> int:
    """The server's number for what went wrong; 0 when it gave none."""
    code = error.orig.args[0] if error.orig is not None and error.orig.args else 0
    return code if isinstance(code, int) else 0
