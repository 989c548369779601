"""Write a file beside its target and rename it, so that the target is whole or as it was."""

from __future__ import annotations

import errno
import os
import tempfile
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from keel_line.errors import OutputError

_WAYS_OUT = {
    frozenset(
        {errno.ENOSPC, errno.EDQUOT, errno.EFBIG}
    ): " Make room there, or choose another folder.",
    frozenset(
        {errno.EBUSY, errno.ETXTBSY, errno.EPERM, errno.EACCES}
    ): " Close it where it is open, or choose another name.",
    frozenset(
        {errno.ESTALE, errno.ENOTCONN, errno.EIO, errno.EHOSTDOWN, errno.ETIMEDOUT, errno.ENXIO}
    ): " Check that its drive or network folder is still there, or choose another.",
}
"""Advice for the clerk, by the system's error numbers."""


def check_target(target: Path) -> None:
    """Check that a target can be written before work begins.

    Raises
    ------
    OutputError
        When the target is a folder, or its folder is missing.
    """
    if target.is_dir():
        raise OutputError(f"{target} is a folder. Add a file name.")
    if not target.parent.is_dir():
        raise OutputError(
            f"The folder {target.parent} does not exist. Create it, or choose another."
        )


def write_safely(target: Path, write: Callable[[Path], object]) -> None:
    """Write a file beside ``target`` with ``write``, then rename it to ``target``.

    Raises
    ------
    OutputError
        When the target is a folder, its folder is missing, or nothing can be written there.
    """
    check_target(target)
    try:
        handle, name = tempfile.mkstemp(
            dir=target.parent, prefix=f".{target.stem}-", suffix=target.suffix
        )
        os.close(handle)
    except OSError as error:
        way_out = " Choose another folder."
        raise OutputError(f"{target} cannot be written: {error.strerror}.{way_out}") from error
    part = Path(name)
    try:
        write(part)
        _flush(part)
        part.chmod(0o666 & ~_umask())
        part.replace(target)
        _flush(target.parent)
    except OSError as error:
        way_out = next((say for known, say in _WAYS_OUT.items() if error.errno in known), "")
        why = error.strerror or error
        raise OutputError(f"{target} cannot be written: {why}.{way_out}") from error
    finally:
        with suppress(OSError):  # the folder may be gone with it
            part.unlink(missing_ok=True)


def _flush(path: Path) -> None:
    """Flush a written file, or a renamed one's folder, to the disk."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
