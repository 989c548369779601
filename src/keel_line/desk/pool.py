"""Worker processes with a limit of memory and of time without progress, one job each at a time.

A worker that dies, stalls or takes too much memory costs the job it had; another takes its place.
"""

from __future__ import annotations

import contextlib
import ctypes
import logging
import multiprocessing
import os
import pickle
import resource
import signal
import threading
import time
from collections.abc import Callable
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from multiprocessing import resource_tracker
from multiprocessing.connection import Connection
from pathlib import Path
from types import TracebackType
from typing import Any, Literal

import cv2
from threadpoolctl import threadpool_limits
from typing_extensions import ParamSpec, TypeVar, override

from keel_line._shared.log_file import open_log
from keel_line._shared.pulse import listening

_P = ParamSpec("_P")
_T = TypeVar("_T")

_PULSE_EVERY_S = 1.0
_BEGIN_S = 60.0  # a worker that starts on a busy machine first loads its libraries
_LEAST_WORK = 0.01  # of the time it had: one that works less is stuck
_NICE = 10  # the window comes first
_PR_SET_PDEATHSIG = 1
_SPAWN = multiprocessing.get_context("spawn")


@dataclass(frozen=True)
class Limits:
    """Limits of one job: ``memory`` in bytes, ``stall_s`` seconds without a pulse once begun.

    Time in which other programs have the processor does not count.
    """

    memory: int = 1_500_000_000
    stall_s: float = 60.0


class WorkerLost(Exception):  # noqa: N818 - it is no error of ours
    """A worker was lost: it ``died``, or ``stalled`` and was ended."""

    def __init__(self, why: Literal["died", "stalled"]) -> None:
        super().__init__(why)
        self.why: Literal["died", "stalled"] = why


class WorkerPool(Executor):
    """Runs jobs in processes of their own, started when they are first needed.

    A future raises :class:`WorkerLost` where its worker was lost; other jobs go on.

    Parameters
    ----------
    workers
        How many jobs run at once; one for each core unless said otherwise.
    limits
        What each job may take.
    """

    def __init__(self, workers: int | None = None, limits: Limits | None = None) -> None:
        count = workers or max(1, os.cpu_count() or 1)
        self._limits = limits or Limits()
        # One thread waits on each worker.
        self._threads = ThreadPoolExecutor(count, thread_name_prefix="workers")
        self._lock = threading.Lock()
        self._idle: list[_Worker] = []
        self._alive: set[_Worker] = set()
        self._closed = False

    @override
    def submit(self, fn: Callable[_P, _T], /, *args: _P.args, **kwargs: _P.kwargs) -> Future[_T]:
        """Queue a job; its arguments and result must be picklable."""
        return self._threads.submit(self._run, fn, args, kwargs)

    def _run(self, fn: Callable[..., _T], args: object, kwargs: object) -> _T:
        worker = self._take_worker()
        try:
            return worker.work((fn, args, kwargs), self._limits.stall_s)
        except WorkerLost:
            self._end(worker)
            raise
        finally:  # also where the job itself raised
            with self._lock:
                if worker in self._alive:
                    self._idle.append(worker)

    def _take_worker(self) -> _Worker:
        with self._lock:
            if self._idle:
                return self._idle.pop()
            if self._closed:
                raise WorkerLost("died")
            worker = _Worker(self._limits)
            self._alive.add(worker)
            return worker

    def _end(self, worker: _Worker) -> None:
        with self._lock:
            self._alive.discard(worker)
        worker.end()

    def process_ids(self) -> list[int]:
        """Return the ids of the worker processes that are alive."""
        with self._lock:
            return [w.pid for w in self._alive]

    @override
    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        """End the workers: after their jobs, or at once when cancelling or not waiting."""
        at_once = cancel_futures or not wait
        if at_once:
            self._close()
        self._threads.shutdown(wait, cancel_futures=at_once)
        self._close()

    def _close(self) -> None:
        with self._lock:
            self._closed = True
            alive, self._alive, self._idle = self._alive, set(), []
        for worker in alive:
            worker.end()

    @override
    def __exit__(self, kind: type[BaseException] | None, *rest: object) -> Literal[False]:
        """End the workers, at once if the block raised or Ctrl+C was pressed."""
        self.shutdown(wait=kind is None, cancel_futures=kind is not None)
        return False


class _Worker:
    """One worker process, as the pool sees it."""

    def __init__(self, limits: Limits) -> None:
        self._connection, theirs = _SPAWN.Pipe()
        self._process = _SPAWN.Process(
            target=_serve, args=(theirs, limits.memory, os.getpid()), daemon=True
        )
        # Ctrl+C is the parent's to act on, from the first moment on. The tracker comes first:
        # whoever starts it, as the first worker would, has Ctrl+C no longer blocked after it.
        resource_tracker.ensure_running()
        before = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
        self._process.start()
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
        theirs.close()  # so that its death is the end of the connection
        self.pid = self._process.pid or 0

    def work(self, call: tuple[Callable[..., _T], object, object], stall_s: float) -> _T:
        """Run a job; return its result or raise its exception.

        Raises
        ------
        WorkerLost
            When the worker dies, or works or waits for so long without a sign of life.
        """
        kind, value = self._hear(call, stall_s)
        if kind == "raised":
            raise value
        answer: _T = value
        return answer

    def _hear(self, call: object, stall_s: float) -> tuple[str, Any]:
        """Send a job; return how it ended and its result."""
        try:
            self._connection.send(call)
            patience = max(_BEGIN_S, stall_s)
            while self._sends_within(patience):
                kind, value = self._connection.recv()
                if kind != "pulse":
                    return kind, value
                patience = stall_s
        except (EOFError, OSError, pickle.UnpicklingError) as error:
            raise WorkerLost("died") from error
        raise WorkerLost("stalled")

    def _sends_within(self, seconds: float) -> bool:
        """Return whether the worker sends something before it waits or works for so long.

        Beside busy programs it may get little processor time; it is not stuck then.
        """
        begun = _read_processor_s(self.pid)
        left, worked = seconds, 0.0
        while not self._connection.poll(left):
            before, worked = worked, _read_processor_s(self.pid) - begun
            if worked >= seconds or worked - before < _LEAST_WORK * left:
                return False
            left = seconds - worked
        return True

    def end(self) -> None:
        """End the process at once."""
        self._process.kill()
        self._process.join()
        with contextlib.suppress(OSError):
            self._connection.close()


def _read_processor_s(pid: int) -> float:
    """Return how much processor time (s) a process has used."""
    after_name = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    return (int(after_name[11]) + int(after_name[12])) / os.sysconf("SC_CLK_TCK")


def _serve(connection: Connection, memory: int, parent: int) -> None:
    """Run jobs in a worker process until there are no more."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
    if os.getppid() != parent:  # it ended before it could be bound to
        return
    os.nice(_NICE)
    _silence_decoders()
    limit = memory + _count_reserved()
    resource.setrlimit(resource.RLIMIT_DATA, (limit, limit))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    # Workers must not fight over cores: each uses one thread, for linear algebra too.
    cv2.setNumThreads(1)
    threadpool_limits(1)
    said = time.monotonic()

    def tell() -> None:
        nonlocal said
        if time.monotonic() - said >= _PULSE_EVERY_S:
            said = time.monotonic()
            connection.send(("pulse", None))

    with listening(tell), contextlib.suppress(EOFError, BrokenPipeError):
        while True:
            fn, args, kwargs = connection.recv()
            connection.send(("pulse", None))  # begun
            _answer(connection, partial(fn, *args, **kwargs))


def _count_reserved() -> int:
    """Return how many bytes this process has reserved for data and does not use.

    The system's limit counts them: stacks and arenas of the libraries.
    """
    lines = (line.split() for line in Path("/proc/self/status").read_text().splitlines())
    sizes = {line[0]: int(line[1]) for line in lines if line[0] in {"VmData:", "RssAnon:"}}
    return 1024 * max(0, sizes["VmData:"] - sizes["RssAnon:"])


def report_threads(
    report: Callable[[type[BaseException], BaseException, TracebackType | None], None],
) -> None:
    """Have an error that nothing caught in a thread reported as those of the main thread are."""

    def hook(found: threading.ExceptHookArgs) -> None:
        if found.exc_value is not None:
            report(found.exc_type, found.exc_value, found.exc_traceback)

    threading.excepthook = hook


def _silence_decoders() -> None:
    """Send the decoders' standard error to nowhere; our own log goes on."""
    logging.basicConfig(stream=os.fdopen(os.dup(2), "w"))
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 2)
    os.close(nowhere)
    open_log(begin=False)


def _answer(connection: Connection, job: Callable[[], object]) -> None:
    answer: tuple[str, object]
    try:
        answer = ("done", job())
    except Exception as error:  # noqa: BLE001 - it is raised again where the job came from
        answer = ("raised", error)
    try:
        connection.send(answer)
    except (pickle.PicklingError, TypeError, AttributeError) as error:
        connection.send(("raised", RuntimeError(f"{type(error).__name__}: {error}")))


class InlineExecutor(Executor):
    """Runs each job at once in the caller's thread; for tests and for single pages."""

    @override
    def submit(self, fn: Callable[_P, _T], /, *args: _P.args, **kwargs: _P.kwargs) -> Future[_T]:
        """Run the job and return its finished future."""
        future: Future[_T] = Future()
        try:
            future.set_result(fn(*args, **kwargs))
        except BaseException as error:  # noqa: BLE001 - a future carries whatever was raised
            future.set_exception(error)
        return future
