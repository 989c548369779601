"""Opens a docket's file: for writing, or for reading only where it cannot be written.

Each trouble has its own words and advice.
"""

from __future__ import annotations

import errno
import os
import sqlite3
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote

from keel_line.docket.lock import Held, Lock, take_lock
from keel_line.docket.schema import is_outdated, prepare
from keel_line.errors import DocketError

_HEADER, _MAGIC = 100, b"SQLite format 3\0"
_FILE_MODE, _FOLDER_MODE = 0o600, 0o700

_ADVICE: dict[str, str] = {
    "SQLITE_FULL": "The disk is full: {name} was not saved. Make room on the disk; settled "
    "values are safe.",
    "SQLITE_READONLY": "{name} is write-protected. Copy it to a folder of yours to work on it.",
    "SQLITE_PERM": "You may not use {name}. Ask its owner, or copy it to a folder of yours.",
    "SQLITE_AUTH": "You may not use {name}. Ask its owner, or copy it to a folder of yours.",
    "SQLITE_BUSY": "Another program is using {name}. Close it there, then try again.",
    "SQLITE_LOCKED": "Another program is using {name}. Close it there, then try again.",
    "SQLITE_CORRUPT": "{name} is damaged. Open a backup, or add its pages again from their files.",
    "SQLITE_NOTADB": "{name} is not a docket. Choose another file; add scans with Ctrl+O.",
    "SQLITE_CANTOPEN": "{name} cannot be opened: its folder is gone or closed to you. Check the "
    "folder.",
    "SQLITE_IOERR": "The disk failed while {name} was used. Check the disk, or the network folder.",
    "SQLITE_TOOBIG": "A file is too large for {name}. Split it into smaller files.",
    "SQLITE_NOMEM": "There is not enough memory for {name}. Close other programs, then try again.",
}
_PARTICULAR: dict[str, str] = {
    "SQLITE_READONLY_DBMOVED": "{name} was moved or deleted while it was open. Put it back, or "
    "open it where it is now.",
    "SQLITE_IOERR_SHMOPEN": "{shared}",
    "SQLITE_IOERR_SHMSIZE": "{shared}",
    "SQLITE_IOERR_SHMMAP": "{shared}",
    "SQLITE_IOERR_SHMLOCK": "{shared}",
}
_SHARED = "{name} is in a folder without shared memory. Copy it to a folder on this computer."


@dataclass(frozen=True)
class Opened:
    """A docket's open file; ``read_only`` says why it cannot be written, empty where it can."""

    connection: sqlite3.Connection
    lock: Lock | None = None
    read_only: str = ""


def say_trouble(error: sqlite3.Error, name: str, folder: Path | None = None) -> str:
    """Return an error's words and advice for the clerk."""
    code = str(getattr(error, "sqlite_errorname", "") or "")
    if folder is not None and not folder.is_dir():
        return (
            f"The folder {folder} is gone, and {name} with it. Put it back, or connect the drive."
        )
    words = _PARTICULAR.get(code) or _ADVICE.get("_".join(code.split("_")[:2]))
    if words is None:
        words = "{name} cannot be used ({error}). Try again; if it stays so, use a backup."
    return words.format(name=name, shared=_SHARED.format(name=name), error=error)


def open_memory() -> Opened:
    """Open a docket that has no file."""
    connection = sqlite3.connect(":memory:", isolation_level=None, check_same_thread=False)
    prepare(connection, "the docket")
    connection.execute("PRAGMA foreign_keys = ON")
    return Opened(connection)


def open_file(path: Path) -> Opened:
    """Open a docket's file, creating it if missing; read-only if it cannot be written.

    Raises
    ------
    DocketError
        When it cannot be opened at all.
    """
    new = _check_file(path)
    try:
        lock = take_lock(path)
    except OSError as error:
        if new:
            raise DocketError(_say_not_made(path, error)) from error
        return open_for_reading(path, _say_not_locked(path, error))
    if isinstance(lock, Held):
        return open_for_reading(path, f"{lock.who} has {path.name} open")
    try:
        if not new and not os.access(path, os.W_OK):
            return _release(lock, path)
        return Opened(_open_for_writing(path, new=new), lock)
    except sqlite3.Error as error:
        if str(getattr(error, "sqlite_errorname", "")).startswith(
            ("SQLITE_READONLY", "SQLITE_CANTOPEN", "SQLITE_IOERR_SHM", "SQLITE_PERM")
        ):
            return _release(lock, path)
        lock.release()
        raise DocketError(say_trouble(error, path.name, path.parent)) from error
    except DocketError:
        lock.release()
        raise
    except OSError as error:
        lock.release()
        raise DocketError(_say_not_made(path, error)) from error


def _say_not_locked(path: Path, error: OSError) -> str:
    if error.errno in {errno.ENOLCK, errno.ENOSYS, errno.EOPNOTSUPP}:
        return f"the folder of {path.name} does not support locks"
    return f"{path.name} is write-protected"


def _release(lock: Lock, path: Path) -> Opened:
    lock.release()
    return open_for_reading(path, f"{path.name} is write-protected")


def _say_not_made(path: Path, error: OSError) -> str:
    if not path.parent.is_dir():
        return f"The folder {path.parent} is gone. Make it again, or choose another."
    if error.errno == errno.ENOSPC:
        return f"The disk is full: {path.name} cannot be made. Make room on the disk."
    return f"{path.name} cannot be made in {path.parent}: {error.strerror}. Choose another folder."


def _check_file(path: Path) -> bool:
    """Inspect a docket's file before SQLite opens it; return whether it is still empty.

    Raises
    ------
    DocketError
        When it is no file, empty or cut short.
    """
    try:
        if path.is_dir():
            raise DocketError(f"{path.name} is a folder, not a docket. Choose a file in it.")
        if not path.exists():
            return True
        size = path.stat().st_size
        with path.open("rb") as file:
            head = file.read(_HEADER)
    except OSError as error:
        raise DocketError(
            f"{path.name} cannot be opened: {error.strerror}. Check the file and its folder."
        ) from error
    if not head:
        raise DocketError(f"{path.name} is empty and holds no work. You can delete it.")
    if len(head) < _HEADER:  # SQLite would take so small a file for a new one
        words = "cut short: it was not copied to its end. Copy it again"
        if not _MAGIC.startswith(head[: len(_MAGIC)]):
            words = "not a docket. Choose another file; add scans with Ctrl+O"
        raise DocketError(f"{path.name} is {words}.")
    if head.startswith(_MAGIC):
        page = int.from_bytes(head[16:18], "big")
        pages = int.from_bytes(head[28:32], "big")
        if size < pages * (65536 if page == 1 else page) and not _has_log(path):
            raise DocketError(
                f"{path.name} is cut short: it was not copied to its end. Copy it again."
            )
    return False


def _has_log(path: Path) -> bool:
    log = path.with_name(f"{path.name}-wal")
    return log.exists() and log.stat().st_size > 0


def _open_for_writing(path: Path, *, new: bool) -> sqlite3.Connection:
    if new:  # nobody else may read it, whatever the system's habit is
        os.close(os.open(path, os.O_RDWR | os.O_CREAT | os.O_EXCL, _FILE_MODE))
    connection = connect(path)
    try:
        prepare(connection, path.name)
        connection.execute("PRAGMA journal_mode = WAL").fetchone()
        # What was settled is on the disk, not only on its way there, when it is said to be.
        connection.execute("PRAGMA synchronous = FULL")
        connection.execute("PRAGMA foreign_keys = ON")
        connection.execute("DELETE FROM source WHERE complete = 0")  # cut short by a kill
    except BaseException:
        connection.close()
        if new:
            path.unlink(missing_ok=True)
        raise
    return connection


def connect(path: Path) -> sqlite3.Connection:
    """Open another connection to an existing docket, without taking the lock."""
    connection = sqlite3.connect(
        f"file:{quote(str(path))}?mode=rw", uri=True, isolation_level=None, check_same_thread=False
    )
    connection.execute("PRAGMA temp_store = MEMORY")
    connection.execute("PRAGMA synchronous = FULL")
    return connection


def connect_for_reading(path: Path) -> sqlite3.Connection:
    """Open a connection that only reads.

    Raises
    ------
    sqlite3.Error
        When it cannot be read.
    """
    for how in ("mode=ro", "mode=ro&immutable=1"):  # the latter where no file can lie beside it
        connection = sqlite3.connect(
            f"file:{quote(str(path))}?{how}",
            uri=True,
            isolation_level=None,
            check_same_thread=False,
        )
        try:
            connection.execute("PRAGMA temp_store = MEMORY")
            connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
        except sqlite3.OperationalError:
            connection.close()
            if how != "mode=ro":
                raise
        except sqlite3.Error:
            connection.close()
            raise
        else:
            return connection
    raise AssertionError  # the last way raised


def open_for_reading(path: Path, why: str) -> Opened:
    """Open a docket that is only read, for the reason ``why``.

    Raises
    ------
    DocketError
        When it cannot be read.
    """
    try:
        connection = connect_for_reading(path)
        if is_outdated(connection):  # its copy in memory can be brought up to date
            copy = sqlite3.connect(":memory:", isolation_level=None, check_same_thread=False)
            connection.backup(copy)
            connection.close()
            connection = copy
        prepare(connection, path.name)
    except sqlite3.Error as error:
        raise DocketError(say_trouble(error, path.name, path.parent)) from error
    return Opened(connection, None, why)
