"""Carries out what was asked for of many projects, an item at a time, and goes on with it after a restart."""

import json
import logging
import threading
from typing import NamedTuple

from sqlalchemy import func, select, update
from sqlalchemy.exc import InterfaceError, OperationalError, SQLAlchemyError
from sqlalchemy.orm import Session

from ..core.adjusted import as_tried, with_budget
from ..core.errors import JayFlickError
from ..core.recipe import BaseOutput, Output, Recipe
from . import adjusting, batches, handoffs, many_handoffs, projects, searches
from .batches import Asked
from .errors import Conflict, NotFound, disk_problem, fault, problem_of
from .models import Batch, BatchItem, Delivery, Job, Project, Result, Revision, Search
from .parts import Service
from .queueing import UNDER_WAY
from .results import MadeOutput
from .schemas.batches import FitAction, HandOffAction, SendAction
from .schemas.searches import SearchRequest
from .schemas.sending import SendRequest
from .trials import NAMES, recipe_with

log = logging.getLogger(__name__)

SIDE_BY_SIDE = {"fit": 2, "send": 3, "make": 200, "hand-off": 200}
"""Items that wait at once for something else to end; of other kinds each ends as it begins."""
LOOK = 1.0
"""Seconds between two looks at what is waited for, if no news comes before."""
AGAIN = 3.0
"""Seconds after which it is tried again when the database was away."""


class Key(NamedTuple):
    batch_id: int
    place: int


class _Waits(Exception):
    """It is not over yet."""


class Batching:
    """One thread that takes items in turn: those of the oldest batch first that can be begun."""

    def __init__(self, service: Service) -> None:
        self._service = service
        self._wake = threading.Event()
        self._stop = threading.Event()
        self._waiting = False
        """Whether something is waited for, which news may be about."""
        self._thread = threading.Thread(target=self._loop, name="batches", daemon=True)

    def start(self) -> None:
        """Go on with what an earlier run did not finish. Searches and deliveries were called off with it."""
        self._service.transact(_begin_again)
        self._service.hub.hearers.append(self._hear)
        self._wake.set()
        self._thread.start()

    def wake(self) -> None:
        """Something was asked for."""
        self._wake.set()

    def _hear(self) -> None:
        if self._waiting:
            self._wake.set()

    def cancel(self, batch_id: int) -> None:
        """Call off what is left of a batch, and what it waits for; what is done stays."""
        for item in self._service.transact(batches.cancel, batch_id):
            if _is_search(item.waits_for):
                self._service.transact(searches.cancel, item.project_id, int(item.waits_for))
            elif item.waits_for:
                self._service.deliveries.cancel(item.project_id, item.waits_for)
        self._service.hub.tell("batch", id=batch_id)

    def stop(self) -> None:
        self._stop.set()
        self._wake.set()
        if self._thread.is_alive():
            self._thread.join()

    def _loop(self) -> None:
        while not self._stop.is_set():
            self._wake.wait(LOOK if self._waiting else None)
            self._wake.clear()
            try:
                self._waiting = self._round()
            except (SQLAlchemyError, OSError) as error:
                log.warning("batches wait: %s", type(error).__name__)
                self._waiting = True
                self._stop.wait(AGAIN)

    def _round(self) -> bool:
        """All that can be done now; whether something is waited for."""
        while not self._stop.is_set():
            ended = [key for key, kind in self._due() if self._carry_out(key, kind)]
            begun = self._next()
            if begun is not None:
                self._carry_out(*begun)
            elif not ended:
                break
        with self._service.sessions() as session:
            at_work = select(BatchItem.batch_id).where(BatchItem.state == "working").limit(1)
            return session.scalar(at_work) is not None

    def _due(self) -> list[tuple[Key, str]]:
        """Items at work whose wait is over, as far as that shows."""
        with self._service.sessions() as session:
            at_work = session.execute(
                select(BatchItem, Batch.action)
                .join(Batch)
                .where(BatchItem.state == "working")
                .order_by(BatchItem.batch_id, BatchItem.place)
            ).all()
            if not at_work:
                return []
            made = {item.project_id for item, action in at_work if not item.waits_for}
            busy = set(
                session.scalars(
                    select(Job.project_id)
                    .join(Project, Project.revision_id == Job.revision_id)
                    .where(Job.project_id.in_(made), Job.state.in_(UNDER_WAY))
                )
            )
            numbers = [item.waits_for for item, _ in at_work if item.waits_for]
            searched = select(Search.id).where(
                Search.id.in_([int(one) for one in numbers if _is_search(one)]),
                Search.state.in_(searches.UNDER_WAY),
            )
            sent = select(Delivery.id).where(Delivery.id.in_(numbers), Delivery.state == "sending")
            held = {str(one) for one in session.scalars(searched)} | set(session.scalars(sent))
            return [
                (Key(item.batch_id, item.place), Asked(action).kind)
                for item, action in at_work
                if (item.waits_for not in held if item.waits_for else item.project_id not in busy)
            ]

    def _next(self) -> tuple[Key, str] | None:
        """The next item that can be begun: of each batch the first, as many side by side as its kind allows."""
        with self._service.sessions() as session:
            first = (
                select(BatchItem.batch_id, func.min(BatchItem.place).label("place"))
                .where(BatchItem.state == "queued")
                .group_by(BatchItem.batch_id)
                .subquery()
            )
            rows = session.execute(
                select(first.c.batch_id, first.c.place, Batch.action)
                .join(Batch, Batch.id == first.c.batch_id)
                .order_by(first.c.batch_id)
            ).all()
            for batch_id, place, action in rows:
                kind = Asked(action).kind
                most = SIDE_BY_SIDE.get(kind)
                if most is None or self._at_work(session, kind) < most:
                    return Key(batch_id, place), kind
        return None

    def _at_work(self, session: Session, kind: str) -> int:
        rows = session.execute(
            select(Batch.action)
            .join(BatchItem, BatchItem.batch_id == Batch.id)
            .where(BatchItem.state == "working")
        )
        return sum(Asked(action).kind == kind for (action,) in rows)

    def _carry_out(self, key: Key, kind: str) -> bool:
        """Begin an item, or go on with it; whether that made a difference."""
        step = {
            "fit": self._fit,
            "make": self._make,
            "hand-off": self._hand_off,
            "send": self._send,
        }.get(kind, self._change)
        error: dict[str, object] | None = None
        try:
            step(key)
        except _Waits:
            return False
        except JayFlickError as refused:
            error = problem_of(refused)
        except (OperationalError, InterfaceError):
            raise  # the database is away, which is no fault of the item
        except OSError as refused:
            error = disk_problem(refused)
        except Exception as unexpected:
            log.exception("an item of a batch ended", exc_info=unexpected)
            error = fault(unexpected)
        if error is not None:
            self._service.transact(_end, key, state="failed", error=error)
        self._service.hub.tell("batch", id=key.batch_id)
        return True

    # what ends as it begins

    def _change(self, key: Key) -> None:
        project_id = self._service.transact(self._changed, key)
        if project_id:
            self._service.changed(project_id)

    def _changed(self, session: Session, key: Key) -> str:
        """Change a project, and record that with it: after a crash it is done once."""
        item, asked = _item(session, key)
        if item is None or item.state != "queued":
            return ""
        item.state = "done"
        match asked.kind:
            case "undo":
                _take_back(session, item, self._service)
            case "delete":
                projects.remove(session, item.project_id)
            case _:
                project = projects.find(session, item.project_id, lock=True)
                lists = self._service.frames
                before, after, notes = adjusting.adjusted(session, lists, project, asked.action, asked.outputs)
                item.notes = notes
                if after != before:
                    _edit(session, item, project, after, _label(session, key), self._service)
        return item.project_id

    # what waits for something else

    def _make(self, key: Key) -> None:
        """Queue what is missing, then wait for it."""
        if self._begins(key):
            project_id = self._service.transact(_project_of, key)
            self._service.transact(projects.retry, project_id, self._service.results)
            self._service.changed(project_id)
            return
        self._need_made(key, None)
        self._service.transact(_end, key)

    def _hand_off(self, key: Key) -> None:
        """Wait until all is made, then hand it off."""
        self._begins(key)
        item, asked = self._read(key)
        if item is None:
            return
        action = asked.action
        assert isinstance(action, HandOffAction)
        chosen = self._need_made(key, asked.outputs)
        rows = handoffs.described(chosen, item.project_id, "folder" if action.to == "folder" else "download")
        placed = None
        if action.to == "folder":
            placed = many_handoffs.into_folder(self._service, item.project_id, chosen, action, rows)

        def remember(session: Session) -> None:
            projects.find(session, item.project_id)
            session.add_all(rows)
            _end(session, key)

        self._service.transact(remember)
        if placed is not None:
            placed.done()
        self._service.tell_changed(item.project_id)

    def _need_made(self, key: Key, names: list[str] | None) -> list[MadeOutput]:
        """The outputs of an item's project; waits while one of them is made."""
        with self._service.sessions() as session:
            item, _ = _item(session, key)
            if item is None:
                return []
            store = self._service.store
            try:
                return many_handoffs.chosen(session, store, item.project_id, names)
            except Conflict:
                job = _unfinished(session, item.project_id)
                if job is None:  # it has been made meanwhile
                    return many_handoffs.chosen(session, store, item.project_id, names)
                if job.state in UNDER_WAY:
                    raise _Waits from None
                if job.error is not None:
                    raise JayFlickError(
                        str(job.error["message"]), remedy=str(job.error.get("remedy") or "make it again")
                    ) from None
                raise

    def _send(self, key: Key) -> None:
        item, asked = self._read(key)
        if item is None:
            return
        action = asked.action
        assert isinstance(action, SendAction)
        if not item.waits_for:
            self._begins(key)
            with self._service.sessions() as session:
                job = _unfinished(session, item.project_id, item.output_id)
            if job is not None and job.state in UNDER_WAY:
                raise _Waits
            request = SendRequest(
                output=item.output_id, to=action.to, use=None, memory=None, cut=None, again=action.again
            )
            delivery = self._service.deliveries.send(item.project_id, request)
            self._service.transact(_wait_for, key, delivery.id)
            return
        told = self._service.deliveries.show(item.project_id, item.waits_for)
        if told.state == "sending":
            raise _Waits
        if told.state not in ("taken", "changed"):
            raise JayFlickError(told.message or "it was not taken", file=told.file, remedy=told.remedy)
        self._service.transact(_end, key, notes=[*told.remarks, *filter(None, [told.message])])

    def _fit(self, key: Key) -> None:
        """Search for the truest file that fits, then set the output so."""
        project_id, searched = self._service.transact(self._begin_to_fit, key)
        if searched is None:
            self._service.transact(self._adopt, key)
        else:
            self._service.searches.wake()
        if project_id:
            self._service.changed(project_id)

    def _begin_to_fit(self, session: Session, key: Key) -> tuple[str, int | None]:
        """Set the budget and ask for a search, unless it fits; the search is ``None`` if there was one."""
        item, asked = _item(session, key)
        if item is None or item.state not in UNDER_WAY or item.waits_for:
            return "", None
        action = asked.action
        assert isinstance(action, FitAction)
        project = projects.find(session, item.project_id, lock=True)
        revision = projects.current(session, project)
        recipe = Recipe.model_validate(revision.recipe)
        output = _output(recipe, item.output_id)
        most = action.most or (output.target.most_bytes if output.target is not None else None)
        if most is None:
            item.state, item.notes = "done", ["it has no budget"]
            return "", None
        limited = with_budget(output, most)
        if limited != output:
            _edit(session, item, project, recipe_with(recipe, limited), _label(session, key), self._service)
            revision = projects.current(session, project)
        result = session.scalar(
            select(Result).where(Result.revision_id == revision.id, Result.output_id == output.id)
        )
        if result is not None and _bytes(result) <= most:
            item.state = "done"
            if limited == output:
                item.notes = ["it fits as it is"]
            return project.id, None
        request = SearchRequest(
            output=output.id, kind="budget", most=most, may=action.may, outputs=None, as_set=None
        )
        search_id = searches.ask(session, project.id, request)
        item.state, item.waits_for = "working", str(search_id)
        return project.id, search_id

    def _adopt(self, session: Session, key: Key) -> None:
        """Set an output as the best trial that its search made."""
        item, _ = _item(session, key)
        if item is None or item.state != "working":
            return
        project = projects.find(session, item.project_id, lock=True)
        search = session.get(Search, int(item.waits_for))
        if search is None or search.state == "cancelled":
            raise Conflict("the search was called off", remedy="fit it again")
        if search.state == "failed":
            why = (search.error or {}).get("message", "the search failed")
            raise JayFlickError(str(why), remedy="fit it again")
        best, least = searches.found_by(session, search.id)
        if best is None:
            words = "nothing that was tried fits" + (f"; the least is {least / 1024:.0f} KB" if least else "")
            raise Conflict(words, remedy="let size or rate change, or raise the budget")
        recipe = Recipe.model_validate(projects.current(session, project).recipe)
        searched = Recipe.model_validate(session.get_one(Revision, search.revision_id).recipe)
        now = _output(recipe, item.output_id)
        if not _alike(recipe, now, searched, searched.output(item.output_id)):
            raise Conflict("it was changed while this was searched", remedy="fit it again")
        fitted = as_tried(now, best.output)
        if fitted != now:
            _edit(session, item, project, recipe_with(recipe, fitted), _label(session, key), self._service)
        item.state = "done"

    def _read(self, key: Key) -> tuple[BatchItem | None, Asked]:
        with self._service.sessions() as session:
            return _item(session, key)

    def _begins(self, key: Key) -> bool:
        """Note that an item is at work; whether it was not before."""
        queued = BatchItem.batch_id == key.batch_id, BatchItem.place == key.place, BatchItem.state == "queued"

        def note(session: Session) -> bool:
            result = session.execute(update(BatchItem).where(*queued).values(state="working"))
            return bool(result.rowcount)  # type: ignore[attr-defined]

        return self._service.transact(note)


def _is_search(number: str) -> bool:
    """Whether it is a search that is waited for; deliveries have longer numbers."""
    return number.isdecimal() and len(number) < 20


def _begin_again(session: Session) -> None:
    session.execute(update(BatchItem).where(BatchItem.state == "working").values(state="queued", waits_for=""))


def _item(session: Session, key: Key) -> tuple[BatchItem | None, Asked]:
    """An item and what was asked for; none if its project is gone for good."""
    item = session.get(BatchItem, key, with_for_update=True)
    batch = session.get(Batch, key.batch_id)
    return item, Asked(batch.action if batch is not None else '{"action": {"kind": ""}}')


def _project_of(session: Session, key: Key) -> str:
    return session.get_one(BatchItem, key).project_id


def _label(session: Session, key: Key) -> str:
    return session.get_one(Batch, key.batch_id).label[:120]


def _end(
    session: Session,
    key: Key,
    *,
    state: str = "done",
    error: dict[str, object] | None = None,
    notes: list[str] | None = None,
) -> None:
    """Record how an item ended, unless it was called off."""
    item = session.get(BatchItem, key, with_for_update=True)
    if item is not None and item.state in batches.UNDER_WAY:
        item.state, item.error, item.waits_for = state, error, ""
        item.notes = item.notes if notes is None else notes


def _wait_for(session: Session, key: Key, number: str) -> None:
    item = session.get(BatchItem, key, with_for_update=True)
    if item is not None:
        item.waits_for = number


def _edit(
    session: Session, item: BatchItem, project: Project, recipe: Recipe, label: str, service: Service
) -> None:
    """Change a project; all that one batch does to it is undone there as one."""
    before = project.revision_id
    assert before is not None
    gesture = f"batch-{item.batch_id}"
    projects.edit(session, project.id, before, label, recipe, service.results, gesture)
    item.before = before if item.before is None else item.before
    item.after = project.revision_id


def _take_back(session: Session, item: BatchItem, service: Service) -> None:
    """Have the revision count again that counted before; of a project that was deleted, the project."""
    project = session.get(Project, item.project_id, with_for_update=True)
    if project is None:
        raise NotFound("the project is gone for good")
    if item.before is None:  # it was deleted, or not changed
        project.removed = None
        return
    if project.revision_id == item.after:
        return
    if project.removed is not None or project.revision_id != item.before:
        raise Conflict("it was changed since", remedy="undo it there")
    projects.undo(session, project.id, service.results)


def _output(recipe: Recipe, output_id: str) -> Output:
    try:
        return recipe.output(output_id)
    except KeyError:
        raise NotFound("there is no such output any more") from None


def _alike(recipe: Recipe, output: BaseOutput, other: Recipe, other_output: BaseOutput) -> bool:
    """Whether two recipes make the same of an output, whatever it is called."""
    shared = (recipe.gather, recipe.rhythm, recipe.framing) == (other.gather, other.rhythm, other.framing)
    return shared and output.model_dump(exclude=NAMES) == other_output.model_dump(exclude=NAMES)


def _bytes(result: Result) -> int:
    return int(json.loads(result.document)["info"]["bytes"])


def _unfinished(session: Session, project_id: str, output_id: str | None = None) -> Job | None:
    """A job of the project as it is now that is under way, or else one that failed."""
    rows = session.scalars(
        select(Job)
        .join(Project, Project.revision_id == Job.revision_id)
        .where(Job.project_id == project_id, Job.state.not_in(("done", "superseded")))
        .where(*([] if output_id is None else [Job.output_id == output_id]))
        .order_by(Job.id.desc())
    ).all()
    return next((job for job in rows if job.state in UNDER_WAY), next(iter(rows), None))
