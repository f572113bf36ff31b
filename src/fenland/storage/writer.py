"""The writer: runs units of work in transactions, several to a commit when several wait.

The first thread that finds nobody writing leads: it takes all work that waits, runs each piece in
one transaction, commits once, and wakes the others. No hand-over to a writer thread
is paid when there is one client, and a slow disk is waited for once for all. A lock file keeps the
order between processes, where SQLite's own waiting would be unfair.

A piece that fails is undone alone. Most that fail have written nothing yet, so there is nothing to
undo; when one has, all are run again, each in a savepoint. When the whole transaction is lost, by an
error at commit or by one that makes SQLite roll everything back, each is run again on its own.
"""

from __future__ import annotations

import fcntl
import os
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from fenland.core.problems import Unavailable
from fenland.storage.sqlite import Connection, Error, translated
from fenland.storage.turn import Turn

Work = Callable[[Connection], Any]

#: Pieces that share one commit, at most: bounds how long the first of them waits.
_LARGEST_BATCH = 64


class _Job:
    __slots__ = ("done", "error", "result", "woken", "work")

    def __init__(self, work: Work) -> None:
        self.work = work
        self.result: Any = None
        self.error: BaseException | None = None
        self.done = False
        # A bare lock, held until somebody wakes this job: cheaper than an Event.
        self.woken = threading.Lock()
        self.woken.acquire()


class Writer:
    """One writing connection, its queue and its lock between processes."""

    def __init__(
        self,
        connection: Connection,
        lock_path: Path,
        turn: Turn | None = None,
        longest_queue: int = 1024,
    ) -> None:
        self._connection = connection
        self._lock_file = os.open(lock_path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        self._turn = turn or Turn()
        self._longest_queue = longest_queue
        self._guard = threading.Lock()
        self._waiting: list[_Job] = []
        self._led = False

    def close(self) -> None:
        """Closes the connection and the lock file. Nothing may be waiting."""
        self._connection.close()
        os.close(self._lock_file)

    def run(self, work: Work) -> Any:
        """Runs `work` in a transaction and returns its result once that is durable.

        Whatever `work` raises is raised here, with nothing it did kept. It may run on another
        thread and, after a lost transaction, again: it must touch nothing but its connection.
        Raises `Unavailable` when too many already wait.
        """
        job = _Job(work)
        with self._guard:
            if len(self._waiting) >= self._longest_queue:
                raise Unavailable("Too many changes are waiting to be saved. Send it again in a moment.")
            self._waiting.append(job)
            leads, self._led = not self._led, True
        if not leads:
            with self._turn.aside():
                job.woken.acquire()
            leads = not job.done
        if leads:
            self._lead(job)
        if job.error is not None:
            raise job.error
        return job.result

    def _lead(self, own: _Job) -> None:
        """Commits one batch, of which `own` is the first, then hands the lead on."""
        self._lock_out_processes()
        try:
            with self._guard:
                batch, self._waiting = self._waiting[:_LARGEST_BATCH], self._waiting[_LARGEST_BATCH:]
            self._settle(batch)
        finally:
            fcntl.flock(self._lock_file, fcntl.LOCK_UN)
        with self._guard:
            heir = self._waiting[0] if self._waiting else None
            self._led = heir is not None
        for job in batch:
            job.done = True
            if job is not own:
                job.woken.release()
        if heir is not None:
            heir.woken.release()

    def _lock_out_processes(self) -> None:
        try:
            fcntl.flock(self._lock_file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            with self._turn.aside():
                fcntl.flock(self._lock_file, fcntl.LOCK_EX)

    def _settle(self, batch: list[_Job]) -> None:
        if len(batch) > 1 and (self._together(batch, guarded=False) or self._together(batch, guarded=True)):
            return
        for job in batch:
            self._by_itself(job)

    def _together(self, batch: list[_Job], *, guarded: bool) -> bool:
        """One transaction for all. False when it was lost, or undone, and nothing of it is kept.

        Guarded, each piece has a savepoint and can be undone alone, which costs all of them more.
        """
        connection = self._connection
        try:
            connection.execute("BEGIN IMMEDIATE")
            for job in batch:
                job.error, before = None, connection.total_changes
                if guarded:
                    connection.execute("SAVEPOINT piece")
                try:
                    job.result = job.work(connection)
                except BaseException as error:
                    job.error = translated(error) if isinstance(error, Error) else error
                    if not connection.in_transaction:
                        return False
                    if guarded:
                        connection.execute("ROLLBACK TO piece")
                    elif connection.total_changes != before:
                        self._undo()
                        return False
                if guarded:
                    connection.execute("RELEASE piece")
            self._commit()
        except Error:
            self._undo()
            return False
        return True

    def _by_itself(self, job: _Job) -> None:
        job.error = None
        try:
            self._connection.execute("BEGIN IMMEDIATE")
            job.result = job.work(self._connection)
            self._commit()
        except BaseException as error:
            self._undo()
            job.error = translated(error) if isinstance(error, Error) else error

    def _commit(self) -> None:
        # Waits for the disk; others work meanwhile, and join the next commit.
        with self._turn.aside():
            self._connection.execute("COMMIT")

    def _undo(self) -> None:
        if self._connection.in_transaction:
            self._connection.execute("ROLLBACK")
