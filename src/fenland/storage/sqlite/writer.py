"""The writer: runs jobs in transactions, several jobs to a commit when several wait.

The first thread that finds nobody writing becomes the leader: it takes all jobs that wait, runs them in
one transaction, commits once, and wakes the threads they belong to; the first thread that waits then is
the next leader. With one client no other thread is involved, and with many a slow disk is waited for
once for all. A lock file keeps the order between processes, where SQLite's own waiting would be unfair.

Each job has a savepoint, so that one that fails is undone alone. When the whole transaction is lost, by an
error at commit or by one that makes SQLite roll everything back, each is run again on its own.

Whatever happens, three things hold. No statement runs outside the transaction that its job believes in
(the connection itself refuses, see `sqlite.WritingConnection`). Everyone who waits is answered, and there
is a next leader. A connection that cannot even be rolled back is given up, and another opened.
"""

from __future__ import annotations

import fcntl
import os
import threading
import time
from collections.abc import Callable
from contextlib import AbstractContextManager, nullcontext
from contextvars import copy_context
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from fenland.core.expressions.budget import current
from fenland.core.problems import Unavailable
from fenland.storage.shared.protocols import MOST_TOGETHER
from fenland.storage.shared.turn import WouldWait
from fenland.storage.sqlite.engine import Error, WritingConnection, is_busy, translated

Work = Callable[[WritingConnection], Any]

#: How long another program may hold SQLite's own lock before changes are refused, and how often it
#: is asked for.
_BUSY_SECONDS, _BUSY_PAUSE = 10.0, 0.01

_UNKNOWN = (
    "The service failed while saving, and it is not known whether this was saved. "
    "Read the record again before you send it anew."
)


@dataclass(frozen=True, slots=True)
class Waiting:
    """How threads of the process let each other work.

    A thread that has to wait does so within `aside`, which raises in one that may wait for nobody; one whose
    work takes long calls `rest` now and then.
    """

    aside: Callable[[], AbstractContextManager[None]] = nullcontext
    rest: Callable[[], None] = lambda: None


@dataclass(frozen=True, slots=True)
class Ends:
    """What is called when a transaction has begun, and raises where there may be none; what it comes to,
    asked before it is committed; and what is given that once it is kept, and must not raise.
    """

    begun: Callable[[WritingConnection], None] = lambda _connection: None
    outcome: Callable[[WritingConnection], Any] = lambda _connection: None
    kept: Callable[[Any], None] = lambda _outcome: None


class _Job:
    __slots__ = ("context", "done", "error", "result", "settled", "woken", "work")

    def __init__(self, work: Work) -> None:
        self.work = work
        # Another thread may do it: what stands in the context goes with it.
        self.context = copy_context()
        self.result: Any = None
        self.error: BaseException | None = None
        #: Its result, or its error, is final.
        self.settled = False
        self.done = False
        # A bare lock, held until somebody wakes this job: cheaper than an Event.
        self.woken = threading.Lock()
        self.woken.acquire()

    def settle(self) -> None:
        """Its transaction is on disk: what it gave, or raised, stands."""
        if isinstance(self.error, (Error, MemoryError)):
            self.error = translated(self.error)
        self.settled = True

    def fail(self, error: BaseException) -> None:
        """Nothing of it is kept, or it is not known whether."""
        self.error = error
        self.settle()


#: The part of a request's steps that it may take while it writes, and others wait for it.
_WRITING_PART = 10


def bounded(work: Work, connection: WritingConnection, rest: Callable[[], None]) -> Any:
    """Runs work whose expressions may take so much, and let others in between."""
    budget = current()
    if budget is None:
        return work(connection)
    with budget.within(budget.most // _WRITING_PART, rest):
        try:
            return work(connection)
        except Error:
            if budget.refusal is not None:
                # SQLite has an error of its own for what an expression raised within a statement.
                raise budget.refusal from None
            raise


class Shared:
    """`Together` of the door: the thread that opened it is the leader meanwhile."""

    def __init__(self, connection: WritingConnection, end: Callable[[Shared], bool]) -> None:
        self.connection = connection
        self.thread = threading.get_ident()
        self.lost = False
        self._end = end

    def run(self, work: Work) -> Any:
        """Runs `work` in the transaction, and raises what it raises."""
        connection, before = self.connection, self.connection.total_changes
        try:
            return work(connection)
        except BaseException as error:
            wrote = not connection.in_transaction or connection.total_changes != before
            self.lost = self.lost or wrote or isinstance(error, (Error, MemoryError))
            raise

    def commit(self) -> bool:
        """See `Together`."""
        return self._end(self)


class Writer:
    """One writing connection, its queue and its lock between processes."""

    def __init__(
        self,
        connect: Callable[[], WritingConnection],
        lock_path: Path,
        waiting: Waiting = Waiting(),
        longest_queue: int = 1024,
        ends: Ends = Ends(),
    ) -> None:
        self._connect = connect
        self._ends = ends
        self._connection: WritingConnection | None = connect()
        self._lock_file = os.open(lock_path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        self._aside, self._rest = waiting.aside, waiting.rest
        self._longest_queue = longest_queue
        self._guard = threading.Lock()
        self._waiting: list[_Job] = []
        self._led = False
        self._shared: Shared | None = None

    def close(self) -> None:
        """Closes the connection and the lock file. Nothing may be waiting."""
        if self._connection is not None:
            self._connection.close()
        os.close(self._lock_file)

    def run(self, work: Work) -> Any:
        """Runs `work` in a transaction and returns its result once that is durable.

        Whatever `work` raises is raised here, with nothing it did kept. It may run on another
        thread and, after a lost transaction, again: it must touch nothing but its connection.
        Raises `Unavailable` when too many already wait.
        """
        shared = self._shared
        if shared is not None and shared.thread == threading.get_ident():
            return shared.run(lambda connection: bounded(work, connection, self._rest))
        job = _Job(work)
        if not self._leads_at_once(job):
            with self._aside():
                # Queued within it: once it is, somebody else may do it at any moment.
                with self._guard:
                    leads = self._queue(job)
                if not leads:
                    job.woken.acquire()
        if not job.done:
            self._lead(job)
        if job.error is not None:
            raise job.error
        return job.result

    def _leads_at_once(self, job: _Job) -> bool:
        """Whether nobody wrote, so that this job's thread leads now."""
        with self._guard:
            return not self._led and self._queue(job)

    def _queue(self, job: _Job) -> bool:
        """Queues a job; whether its thread is to lead."""
        if len(self._waiting) >= self._longest_queue:
            raise Unavailable("Too many changes are waiting to be saved. Send it again in a moment.")
        self._waiting.append(job)
        leads, self._led = not self._led, True
        return leads

    def together(self) -> Shared:
        """Opens a transaction for changes of this thread, which may wait for nobody; see `Together`.

        Raises `WouldWait` when somebody else writes, and what stands in the way of any transaction.
        """
        with self._guard:
            if self._led:
                raise WouldWait
            self._led = True
        try:
            self._lock_out_processes()
            self._shared = Shared(self._begin(), self._end)
        except BaseException:
            self._undo()
            self._end_lead()
            raise
        return self._shared

    def _end(self, shared: Shared) -> bool:
        self._shared = None
        try:
            if shared.lost:
                return self._undo()
            outcome = self._ends.outcome(shared.connection)
            shared.connection.commit_work()
            self._ends.kept(outcome)
        except BaseException as error:
            undone = shared.connection.in_transaction or isinstance(error, Error)
            self._undo()
            if not undone:
                raise Unavailable(_UNKNOWN) from None
            return False
        finally:
            self._end_lead()
        return True

    def _end_lead(self) -> None:
        fcntl.flock(self._lock_file, fcntl.LOCK_UN)
        self._wake([], None)

    def _lead(self, own: _Job) -> None:
        """Commits one batch, of which `own` is the first, then wakes the next leader, whatever happens."""
        batch: list[_Job] = []
        try:
            self._lock_out_processes()
            try:
                with self._guard:
                    batch, self._waiting = self._waiting[:MOST_TOGETHER], self._waiting[MOST_TOGETHER:]
                self._settle(batch)
            finally:
                fcntl.flock(self._lock_file, fcntl.LOCK_UN)
        except BaseException as error:
            for job in batch or [own]:
                # What is settled stays so: this came after, or about others.
                if not job.settled:
                    job.fail(error)
        finally:
            self._wake(batch, own)

    def _wake(self, batch: list[_Job], own: _Job | None) -> None:
        """Wakes the threads whose jobs are done, and the next leader."""
        with self._guard:
            if own in self._waiting:
                self._waiting.remove(own)
            following = self._waiting[0] if self._waiting else None
            self._led = following is not None
        for job in batch:
            job.done = True
            if job is not own:
                if job.error is not None and not isinstance(job.error, Exception):
                    # What ends a thread, or the program, is for the thread it happened to.
                    job.error = Unavailable("The service was interrupted. Nothing was saved; send it again.")
                job.woken.release()
        if following is not None:
            following.woken.release()

    def _lock_out_processes(self) -> None:
        try:
            fcntl.flock(self._lock_file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            with self._aside():
                fcntl.flock(self._lock_file, fcntl.LOCK_EX)

    def _settle(self, batch: list[_Job]) -> None:
        if len(batch) > 1 and self._together(batch):
            return
        for job in batch:
            # Only what is not settled: of a transaction whose end is not known, nothing is done twice.
            if not job.settled:
                self._by_itself(job)

    def _together(self, batch: list[_Job]) -> bool:
        """One transaction for all, a savepoint each. False when it was lost, and nothing of it is kept."""
        try:
            connection = self._begin()
        except BaseException as error:
            self._undo()
            # No use in asking again for each: who holds the lock holds it from all.
            for job in batch:
                job.fail(error)
            return True
        try:
            for job in batch:
                job.error = None
                connection.execute("SAVEPOINT job")
                try:
                    job.result = job.context.run(bounded, job.work, connection, self._rest)
                except BaseException as error:
                    job.error = error
                    if not connection.in_transaction:
                        return self._undo()
                    connection.undo_to("job")
                connection.execute("RELEASE job")
            return self._commit(connection, batch)
        except BaseException:
            # Whoever's fault it was: tried alone, each meets its own.
            return self._undo()

    def _by_itself(self, job: _Job) -> None:
        job.error = None
        try:
            connection = self._begin()
            job.result = job.context.run(bounded, job.work, connection, self._rest)
            self._commit(connection, [job])
        except BaseException as error:
            self._undo()
            if not job.settled:
                job.fail(error)

    def _begin(self) -> WritingConnection:
        """Opens a transaction that may write, waiting for other programs that hold SQLite's lock."""
        connection = self._connection = self._connection or self._connect()
        deadline = time.monotonic() + _BUSY_SECONDS
        while True:
            try:
                connection.begin()
                self._ends.begun(connection)
                return connection
            except Error as error:
                if not is_busy(error) or time.monotonic() > deadline:
                    raise
            with self._aside():
                time.sleep(_BUSY_PAUSE)

    def _commit(self, connection: WritingConnection, batch: list[_Job]) -> bool:
        """Makes it durable, which settles every job. Raises, with nothing kept; else True."""
        try:
            outcome = self._ends.outcome(connection)
            # Waits for the disk; others work meanwhile, and join the next commit.
            with self._aside():
                connection.commit_work()
            self._ends.kept(outcome)
        except BaseException as error:
            if connection.in_transaction or isinstance(error, Error):
                raise
            # Not from SQLite, and the transaction is over: it may well have been committed.
            for job in batch:
                job.fail(Unavailable(_UNKNOWN))
            return True
        for job in batch:
            job.settle()
        return True

    def _undo(self) -> bool:
        """Rolls back what is open. A connection that cannot do even that is given up; always False."""
        connection = self._connection
        try:
            if connection is not None:
                connection.undo()
        except BaseException:
            self._connection = None
            try:
                if connection is not None:
                    connection.close()
            except BaseException:  # noqa: S110 - closing is all that could still be done
                pass
        return False
