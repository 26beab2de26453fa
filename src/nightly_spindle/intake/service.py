"""The intake process: watches the jobs' folders, works off the queue of arrivals, backs up.

It runs beside the engine or the desk, whichever started it, with low priority, and alone:
a lock sees to that. All that it knows is in the station's database, so it goes on after a
restart where it was.
"""

from __future__ import annotations

import logging
import multiprocessing
import os
import signal
import sys
import threading
import time
from concurrent.futures import CancelledError, Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from nightly_spindle.core.base.errors import StorageFault
from nightly_spindle.core.library.intake import FileFate, State
from nightly_spindle.intake.bring_in import refused_for
from nightly_spindle.intake.log_files import LogFiles
from nightly_spindle.intake.look import Task, give_way, look, workers
from nightly_spindle.intake.place import LOCK
from nightly_spindle.intake.still_wait import StillWait
from nightly_spindle.intake.take import TakeResult, settle_source, take
from nightly_spindle.intake.unmeasured import Unmeasured
from nightly_spindle.intake.watch import Notifier, Watch
from nightly_spindle.store.base.changes import change_count
from nightly_spindle.store.base.database import DatabaseRefused, connect
from nightly_spindle.store.base.lock import Lock
from nightly_spindle.store.base.messages import begin_messages
from nightly_spindle.store.base.patience import Hangs, Patience
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.base.transaction import LibraryTransaction, now_us
from nightly_spindle.store.library import arrivals
from nightly_spindle.store.library.intake_jobs import intake_jobs
from nightly_spindle.store.library.intake_reading import Arrival
from nightly_spindle.store.library.items import Looked
from nightly_spindle.store.station.backups import back_up_by_itself, backup_wanted

_log = logging.getLogger(__name__)
_ROUND_S = 0.5
_WATCH_S = 1.0
_IN_FLIGHT = 8
_TOLD_AFTER_S = 8.0  # a folder that has not answered for so long is told of
_RETRY_S = 30.0  # after the disk or the database refused
_FIRST_SAFE_S, _SAFE_S = 3.0, 300.0  # how often it is asked whether a backup is due
_READ_S, _READ_BYTES_S = 60.0, 1e6  # so long a file may take, and so much longer by its size
_ASLEEP_S = 300.0  # a folder one of whose files took longer is left in peace
_IDLE_S = 60.0  # workers that had nothing to do for so long are let go


@dataclass(slots=True)
class _Flying:
    arrival: Arrival
    home: Path
    result: Future[Looked | str]
    alone: bool  # no other file is measured beside it


class Service:
    """Works one station's intake until told to leave."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        # no event: a signal handler that sets one hangs where it meets this thread waiting for it
        self._leaving = False
        self._watches: dict[int, Watch] = {}
        self._notifier = Notifier(self._stir)
        self._pool: ProcessPoolExecutor | None = None
        self._flying: dict[int, _Flying] = {}
        self._suspects: set[int] = set()  # arrivals one of which ended its worker
        self._waited = StillWait()
        self._asleep: dict[str, float] = {}  # folders that are left in peace until then
        self._patience = Patience(2.0)
        self._hanging: set[int] = set()  # jobs whose folder was told not to answer
        self._seen_change = -1
        self._wait_until = 0.0
        self._busy_at = 0.0
        self._next_safe = time.monotonic() + _FIRST_SAFE_S
        self._unmeasured = Unmeasured(folder)
        self._log_files = LogFiles(folder)

    def leave(self) -> None:
        """End after the present round. May be called by a signal handler."""
        self._leaving = True

    def run(self) -> None:
        """Work until told to leave. Blocks."""
        lock = Lock(self._folder / LOCK)
        lock.take()
        connection = connect(self._folder)
        next_watch = 0.0
        try:
            while not self._leaving:
                now = time.monotonic()
                if now >= self._wait_until:
                    try:
                        self._follow_jobs(change_count(connection))
                        if now >= next_watch:
                            next_watch = now + _WATCH_S
                            self._watch(now)
                        self._log_files.work(now, self._seen_change)
                        self._work(now)
                        if now >= self._next_safe and not self._flying:
                            self._next_safe = now + _SAFE_S
                            self._keep_safe()
                    except (StorageFault, DatabaseRefused) as error:
                        _log.warning("%s; tried again in %.0f s", error, _RETRY_S)
                        self._wait_until = now + _RETRY_S
                    except Exception:  # the edge of one round: the queue goes on  # noqa: BLE001
                        _log.exception("the intake goes on in %.0f s, after an error", _RETRY_S)
                        self._wait_until = now + _RETRY_S
                time.sleep(0.05 if self._flying else _ROUND_S)
        finally:
            self._notifier.stop()
            if self._pool is not None:
                self._pool.shutdown(cancel_futures=True)
            self._log_files.close()
            connection.close()
            lock.release()

    def _keep_safe(self) -> None:
        """Make the station's backup when it is due."""
        if backup_wanted(self._folder, now_us()):
            made = back_up_by_itself(self._folder)
            if made.problem:
                _log.warning("%s", made.problem)
            else:
                _log.info("backed up to %s", made.path)

    # -- watching ------------------------------------------------------------------------------

    def _stir(self, job: int) -> None:
        watch = self._watches.get(job)
        if watch is not None:
            watch.stir()

    def _follow_jobs(self, change: int) -> None:
        """Take up jobs that are new or were edited."""
        if change == self._seen_change:
            return
        self._seen_change = change
        with LibraryTransaction(self._folder) as library:
            jobs = [job for job in intake_jobs(library) if job.enabled]
            known = {
                job.id: arrivals.dealt_with(library, job.id)
                for job in jobs
                if job.id not in self._watches
            }
        if [w.job for w in self._watches.values()] == jobs:
            return
        self._watches = {
            job.id: Watch(
                job, self._watches[job.id].known if job.id in self._watches else known[job.id]
            )
            for job in jobs
        }
        self._notifier.follow({job.id: job.folder for job in jobs})

    def _watch(self, now: float) -> None:
        """Look at the watched folders; one that hangs holds up no other, and is told of."""
        for watch in self._watches.values():
            said = watch.problem
            try:
                self._patience.ask(watch.job.folder, partial(watch.look_and_keep, now))
            except Hangs as error:
                watch.problem = f"{watch.job.folder} cannot be read: {error.strerror}"
                self._tell_hanging(watch, error.since_s)
                continue
            self._hanging.discard(watch.job.id)
            if watch.problem and watch.problem != said:
                _log.warning("%s", watch.problem)
            self._queue_found(watch)

    def _tell_hanging(self, watch: Watch, since_s: float) -> None:
        if since_s >= _TOLD_AFTER_S and watch.job.id not in self._hanging:
            self._hanging.add(watch.job.id)
            _log.warning(
                "the folder %s has not answered for %.0f s; the others are watched on",
                watch.job.folder,
                since_s,
            )

    def _queue_found(self, watch: Watch) -> None:
        """Queue what a look found, also one that nobody waited for any more."""
        while watch.found:
            ready, odd = watch.found.popleft()
            if ready or odd:
                with LibraryTransaction(self._folder) as library:
                    arrivals.queue(library, ready, watch.job.options, watch.job.id)
                    for name in odd:
                        arrivals.refuse_name(library, name.shown, name.why, watch.job.id)

    # -- the queue -----------------------------------------------------------------------------

    def _work(self, now: float) -> None:
        """Send files to the workers, and take in what comes back, in the order of arrival."""
        if len(self._flying) < _IN_FLIGHT:
            self._send(now)
        if not self._flying and self._unmeasured.work(self._workers, self._seen_change):
            self._busy_at = now
        if self._flying:
            self._busy_at = now
            # soon after new work has come to rest there is something to lose
            self._next_safe = min(self._next_safe, now + _FIRST_SAFE_S)
        elif self._pool is not None and now - self._busy_at > _IDLE_S:
            self._pool.shutdown()
            self._pool = None
        for number in list(self._flying):
            flying = self._flying[number]
            if not flying.result.done():
                self._wait_for(flying, now)
                break
            del self._flying[number]
            result = self._result(flying)
            if result is not None:
                self._finish(flying, result)

    def _result(self, flying: _Flying) -> Looked | str | None:
        """Return what a worker found; None when it is to be asked again, alone.

        A worker that dies takes the answers to all files of the pool with it. Which of them it was
        shows when each is measured with no other beside it.
        """
        try:
            return flying.result.result()
        except (BrokenProcessPool, CancelledError):
            self._pool = None
            if flying.alone:
                self._suspects.discard(flying.arrival.id)
                path = flying.arrival.path
                return f"{path} ended the process that measured it; check the file"
            self._suspects.add(flying.arrival.id)
            return None
        except Exception as error:  # the edge of one file  # noqa: BLE001
            _log.exception("%s could not be measured", flying.arrival.path)
            return refused_for(Path(flying.arrival.path), error)

    def _wait_for(self, flying: _Flying, now: float) -> None:
        """Wait for the file whose answer is next; one that hangs holds up the others no longer."""
        arrival = flying.arrival
        longest = _READ_S + arrival.size / _READ_BYTES_S
        if self._waited.waited_s(arrival.id, now) < longest:
            return
        text = (
            f"{arrival.path} could not be read within {longest:.0f} s; see to its drive. It is "
            "tried again later"
        )
        _log.warning("%s", text)
        self._asleep[str(flying.home)] = now + _ASLEEP_S
        self._waited.end()
        with LibraryTransaction(self._folder) as library:
            arrivals.finish(library, arrival.id, State.QUEUED, None, text)
        if self._pool is not None:  # all its workers go: which of them hangs nobody knows
            self._pool.shutdown(wait=False, cancel_futures=True)
            self._pool = None
        for worker in multiprocessing.active_children():
            worker.kill()
        self._flying.clear()

    def _send(self, now: float) -> None:
        self._asleep = {folder: until for folder, until in self._asleep.items() if until > now}
        with LibraryTransaction(self._folder) as library:
            asleep = {*self._asleep, *self._patience.hanging()}
            coming = arrivals.queued(library, _IN_FLIGHT, asleep)
        for arrival in coming:
            if arrival.id in self._flying or len(self._flying) >= _IN_FLIGHT:
                continue
            alone = arrival.id in self._suspects
            if self._flying and (alone or any(one.alone for one in self._flying.values())):
                continue
            watch = self._watches.get(arrival.job_id or 0)
            home = Path(watch.job.folder) if watch else Path(arrival.path).parent
            trimming = read_settings(self._folder).trimming
            task = Task(arrival.path, str(home), arrival.options.template, trimming)
            result = self._workers().submit(look, task)
            self._flying[arrival.id] = _Flying(arrival, home, result, alone)

    def _workers(self) -> ProcessPoolExecutor:
        if self._pool is None:
            self._pool = workers()
        return self._pool

    def _finish(self, flying: _Flying, looked: Looked | str) -> None:
        """Take one file in and say what became of it, in one transaction."""
        arrival = flying.arrival
        if isinstance(looked, str):
            taken = TakeResult(State.REFUSED, None, looked)
            with LibraryTransaction(self._folder) as library:
                self._report(library, arrival, taken)
            self._look_again(flying)
            return
        try:
            with LibraryTransaction(self._folder) as library:
                taken = take(library, looked, arrival.options)
                self._report(library, arrival, taken)
        except StorageFault as error:
            # it stays in the queue: disks are freed and locks let go of
            with LibraryTransaction(self._folder) as library:
                arrivals.finish(library, arrival.id, State.QUEUED, None, str(error))
            raise
        except Exception as error:  # the edge of one file: it is refused, the others go on  # noqa: BLE001
            _log.exception("%s could not be imported", arrival.path)
            taken = TakeResult(State.REFUSED, None, refused_for(Path(arrival.path), error))
            with LibraryTransaction(self._folder) as library:
                self._report(library, arrival, taken)
        if taken.cart is not None and arrival.options.source is FileFate.MOVE:
            odd = settle_source(Path(arrival.path), flying.home, arrival.options)
            if odd:
                with LibraryTransaction(self._folder) as library:
                    arrivals.finish(library, arrival.id, taken.state, taken.cart, odd)

    def _report(self, library: LibraryTransaction, arrival: Arrival, taken: TakeResult) -> None:
        arrivals.finish(library, arrival.id, taken.state, taken.cart, taken.why)
        arrivals.prune(library)

    def _look_again(self, flying: _Flying) -> None:
        """Have a refused file taken up again when it has changed since it was queued."""
        watch = self._watches.get(flying.arrival.job_id or 0)
        if watch is not None:
            watch.stir()


def serve(folder: Path, *, with_parent: bool) -> int:
    """Run the intake as a process; `with_parent` ends it with its standard input."""
    begin_messages(folder, "intake")
    give_way()  # what plays comes first
    service = Service(folder)
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: service.leave())
    if with_parent:

        def follow() -> None:
            while os.read(sys.stdin.fileno(), 1024):
                pass
            service.leave()

        threading.Thread(target=follow, name="parent", daemon=True).start()
    service.run()
    return 0
