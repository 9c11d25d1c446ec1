"""Who is served next, whose death counts, and how long anybody waits."""

import os
import time
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import Executor, Future, ProcessPoolExecutor, ThreadPoolExecutor
from datetime import datetime, timedelta
from multiprocessing import get_context
from pathlib import Path
from threading import Barrier
from typing import Any, ClassVar

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import delete, update
from sqlalchemy.orm import Session, sessionmaker

from jayflick.service import jobs, slots
from jayflick.service.database import make_engine, make_sessions, transact
from jayflick.service.elsewhere import AwayError, Cluster, threads_of
from jayflick.service.events import Hub
from jayflick.service.jobs import LONG, MOST_ATTEMPTS, JobRunner, choose
from jayflick.service.mariadb import PrivateServer
from jayflick.service.models import Job, Project, Revision
from jayflick.service.slots import Beyond, Queued
from jayflick.service.worker import Place, run_job
from tests.server import until

NOON = datetime(2026, 11, 2, 12)
PIXELS = st.integers(1, 10**9)


@pytest.fixture
def sessions(database: PrivateServer) -> Iterator[sessionmaker[Session]]:
    """Sessions on a database whose tables are empty: jobs that others left would be carried out as well."""
    engine = make_engine(database.url)
    made = make_sessions(engine)
    transact(made, _remove_all)
    yield made
    transact(made, _remove_all)
    engine.dispose()


def _remove_all(session: Session) -> None:
    session.execute(delete(Project))


def add_jobs(sessions: sessionmaker[Session], *ids: int, work: int = 0) -> None:
    """Queued jobs, each of a project of its own."""
    with sessions.begin() as session:
        for number in ids:
            project = f"{number:032}"
            session.add(Project(id=project, name=f"Wake {number}"))
            session.flush()
            session.add(Revision(id=number, project_id=project, label="", recipe={}))
            session.flush()
            session.add(Job(id=number, project_id=project, revision_id=number, output_id="page", work=work))


def look(sessions: sessionmaker[Session], number: int) -> tuple[str, int]:
    with sessions() as session:
        job = session.get_one(Job, number)
        return job.state, job.attempts


def begun(sessions: sessionmaker[Session], number: int) -> None:
    """Count an attempt as a worker does when it begins."""
    with sessions.begin() as session:
        session.execute(update(Job).where(Job.id == number).values(attempts=Job.attempts + 1))


class _Endless(Executor):
    """Takes what it is given and never gets done with it."""

    def submit(self, function: Callable[..., Any], /, *args: Any, **options: Any) -> "Future[Any]":
        return Future()


def test_orderly_restarts_never_fail_a_job(sessions: sessionmaker[Session], tmp_path: Path) -> None:
    add_jobs(sessions, 77)
    for _ in range(2 * MOST_ATTEMPTS):
        runner = JobRunner(sessions, Place("", tmp_path, tmp_path, tmp_path), Hub(), 1, _Endless)
        runner.start()
        until(lambda: look(sessions, 77) == ("running", 0))
        begun(sessions, 77)
        runner.stop()


def _deadly_for_7(place: Place, number: int) -> str:
    """What a worker does with a job; with one of them it dies."""
    made = make_sessions(make_engine(place.database))
    begun(made, number)
    if number == 7:
        time.sleep(0.2)
        os._exit(9)
    time.sleep(1.5)
    with made.begin() as session:
        session.execute(update(Job).where(Job.id == number).values(state="done"))
    return "done"


def _bare_process() -> Executor:
    return ProcessPoolExecutor(1, mp_context=get_context("spawn"))


def test_a_job_that_kills_its_workers_fails_and_no_other_is_touched(
    sessions: sessionmaker[Session], database: PrivateServer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(slots, "run_job", _deadly_for_7)
    add_jobs(sessions, 7, 8, 9)
    runner = JobRunner(
        sessions, Place(database.url, tmp_path, tmp_path, tmp_path / "growing"), Hub(), 2, _bare_process
    )
    runner.start()
    try:
        until(lambda: {look(sessions, 8)[0], look(sessions, 9)[0]} == {"done"})
        until(lambda: look(sessions, 7) == ("failed", MOST_ATTEMPTS))
        assert look(sessions, 8) == look(sessions, 9) == ("done", 1)
        with sessions() as session:
            error = session.get_one(Job, 7).error
        assert error is not None
        assert "the worker died each time" in str(error["message"])
    finally:
        runner.stop()


class _Cluster(Executor):
    """Its workers are two; what is handed to any executor is noted, and nothing is ever done."""

    taken: ClassVar[list[tuple[int, bool, Future[str]]]] = []

    def submit(self, function: Callable[..., Any], /, *args: Any, **options: Any) -> "Future[Any]":
        future: Future[Any] = Future()
        if function is threads_of:
            future.set_result(2)
        elif function is run_job:
            place, number = args
            self.taken.append((number, place.cluster is not None, future))
        return future


def test_a_cluster_takes_what_takes_long_while_it_answers(
    sessions: sessionmaker[Session], tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    _Cluster.taken.clear()
    place = Place("", tmp_path, tmp_path, tmp_path, Cluster("tcp://ferry:1", "share", "ours"))
    runner = JobRunner(sessions, place, Hub(), 1, _Cluster)
    runner.start()

    def taken(count: int) -> set[tuple[int, bool]]:
        found = until(lambda: _Cluster.taken if len(_Cluster.taken) >= count else None)
        return {(number, beyond) for number, beyond, _ in found}

    try:
        until(lambda: runner._beyond is not None and runner._beyond.open)
        add_jobs(sessions, 1, 2, 3, work=10**9)
        runner.wake()
        assert taken(2) == {(3, True), (2, True)}, "long ones, by as many workers as there are"
        add_jobs(sessions, 4)
        runner.wake()
        assert taken(3) - {(3, True), (2, True)} == {(4, False)}, "what is short is done here"
        for number, _, future in list(_Cluster.taken):
            if number == 4:
                with sessions.begin() as session:
                    session.execute(update(Job).where(Job.id == 4).values(state="done"))
                future.set_result("done")
            else:
                begun(sessions, number)
                future.set_exception(AwayError("the scheduler at tcp://ferry:1 is gone"))
        runner.wake()
        until(lambda: len(_Cluster.taken) == 4)
        assert not _Cluster.taken[-1][1], "whoever is here goes on with them"
        assert sorted(look(sessions, number) for number in (2, 3)) == [("queued", 0), ("running", 0)]
        assert caplog.text.count("is gone; local workers go on") == 1
    finally:
        runner.stop()


class _Odd(_Cluster):
    def submit(self, function: Callable[..., Any], /, *args: Any, **options: Any) -> "Future[Any]":
        future: Future[Any] = Future()
        future.set_exception(RuntimeError("the loop is closed"))
        return future


def test_a_cluster_that_fails_in_any_way_is_away(caplog: pytest.LogCaptureFixture) -> None:
    beyond = Beyond(Cluster("tcp://ferry:1", "share", "ours"), _Odd)
    for _ in range(3):
        beyond.look()
    assert beyond.open == []
    assert caplog.text.count("cannot be asked: RuntimeError; local workers go on") == 1


@given(works=st.lists(PIXELS, min_size=1, max_size=30), waited=st.integers(0, 5))
def test_of_those_that_came_together_the_shortest_goes_first(works: list[int], waited: int) -> None:
    came = NOON - timedelta(seconds=waited)
    queue = [Queued(number, str(number), work, came) for number, work in enumerate(works)]
    chosen = choose(queue, Counter(), NOON, short_only=False)
    assert chosen is not None
    assert chosen.work == min(works)


@given(long=st.integers(10**7, 10**9), short=st.integers(1, 10**6), every=st.integers(1, 9))
def test_a_long_job_gets_its_turn_however_many_short_ones_keep_coming(
    long: int, short: int, every: int
) -> None:
    waiting, moment, number = Queued(0, "long", long, NOON), NOON, 0
    queue = [waiting]
    while waiting in queue:
        number, moment = number + 1, moment + timedelta(seconds=every)
        queue += [Queued(2 * number + n, "short", short, moment) for n in range(2)]  # more than are carried out
        chosen = choose(queue, Counter(), moment, short_only=False)
        assert chosen is not None
        queue.remove(chosen)
    assert (moment - NOON).total_seconds() <= 3 * waiting.patience + 20


@given(st.lists(st.tuples(st.sampled_from("abc"), PIXELS, st.integers(0, 500)), min_size=1, max_size=20))
def test_a_project_at_work_gives_way_and_the_last_worker_is_kept_for_short_jobs(
    rows: list[tuple[str, int, int]],
) -> None:
    queue = [Queued(n, p, work, NOON - timedelta(seconds=s)) for n, (p, work, s) in enumerate(rows)]
    chosen = choose(queue, Counter("a"), NOON, short_only=False)
    assert chosen is not None
    assert chosen.project_id != "a" or {job.project_id for job in queue} == {"a"}
    short = choose(queue, Counter(), NOON, short_only=True)
    assert (short is None) == all(job.seconds > LONG for job in queue)
    assert short is None or short.seconds <= LONG


@pytest.mark.parametrize(
    ("meanwhile", "state"),
    [
        ({}, "queued"),
        ({"removed": NOON}, "failed"),  # it lies in the bin
        ({"revision_id": 6}, "failed"),  # another revision counts now
    ],
)
def test_what_failed_on_a_full_disk_is_queued_again_if_it_is_still_wanted(
    sessions: sessionmaker[Session], tmp_path: Path, meanwhile: dict[str, Any], state: str
) -> None:
    add_jobs(sessions, 5, 6)
    with sessions.begin() as session:
        failed = {"state": "failed", "error": {"kind": "disk", "message": "the disk refused"}, "attempts": 1}
        session.execute(update(Job).where(Job.id == 5).values(failed))
        session.execute(update(Job).where(Job.id == 6).values(state="done"))
        own = {"revision_id": 5, **meanwhile}
        session.execute(update(Project).where(Project.id == f"{5:032}").values(own))
    with sessions.begin() as session:
        jobs._try_again(session, 5)
    assert look(sessions, 5)[0] == state


def test_what_has_to_give_way_to_another_transaction_is_tried_again(sessions: sessionmaker[Session]) -> None:
    """Two that lock the same rows in opposite orders: the database ends one of them (error 1213)."""
    add_jobs(sessions, 1, 2)
    tries: list[tuple[int, int]] = []
    first_lock = Barrier(2, timeout=10)

    def both(session: Session, *order: int) -> None:
        tries.append((order[0], order[1]))
        for at, number in enumerate(order):
            session.execute(update(Job).where(Job.id == number).values(done=Job.done + 1))
            if at == 0 and tries.count((order[0], order[1])) == 1:
                first_lock.wait()

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(lambda order: transact(sessions, both, *order), [(1, 2), (2, 1)]))
    assert len(tries) > 2
    with sessions() as session:
        assert [session.get_one(Job, number).done for number in (1, 2)] == [2, 2]
