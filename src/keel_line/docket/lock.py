"""The lock on a docket: one process may write, others may only read.

The lock lies on a small file beside the docket, never on the docket: closing a docket's file would
drop SQLite's own locks. The system lets it go when its process ends, however that ends.
"""

from __future__ import annotations

import fcntl
import getpass
import os
import socket
from dataclasses import dataclass
from pathlib import Path

_TRIES = 5


@dataclass(frozen=True)
class Lock:
    """A lock that this process holds."""

    path: Path
    handle: int

    def release(self) -> None:
        """Release the lock."""
        self.path.unlink(missing_ok=True)
        os.close(self.handle)


@dataclass(frozen=True)
class Held:
    """The docket is locked by another process; ``who`` names it. False in a condition."""

    who: str

    def __bool__(self) -> bool:
        """Be false: no lock was taken."""
        return False


def take_lock(docket: Path) -> Lock | Held:
    """Take the lock on a docket, or tell who has it.

    Raises
    ------
    OSError
        When no lock can be kept beside the docket.
    """
    path = docket.with_name(f".{docket.name}.lock")
    for _ in range(_TRIES):
        handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            who = os.pread(handle, 300, 0).decode(errors="replace").strip()
            os.close(handle)
            return Held(who or "another window")
        except OSError:
            os.close(handle)
            raise
        if _is_at(path, handle):
            os.ftruncate(handle, 0)
            os.pwrite(handle, _own_name().encode(), 0)
            return Lock(path, handle)
        os.close(handle)  # its last holder took the file away meanwhile
    return Held("another window")


def _is_at(path: Path, handle: int) -> bool:
    try:
        return os.path.samestat(path.stat(), os.fstat(handle))
    except FileNotFoundError:
        return False


def _own_name() -> str:
    try:
        user = getpass.getuser()
    except (KeyError, OSError):
        user = "somebody"
    return f"{user} on {socket.gethostname()} (process {os.getpid()})"
