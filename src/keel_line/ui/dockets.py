"""The folder of dockets, and names of new ones."""

from __future__ import annotations

import contextlib
import os
import re
from pathlib import Path

import platformdirs

from keel_line.errors import DocketError

DOCKET_ENDING = ".keel"


def docket_folder() -> Path:
    """Return the folder of the clerk's dockets."""
    return Path(platformdirs.user_data_dir("keel-line", appauthor=False)) / "dockets"


def make_folder(folder: Path) -> None:
    """Make the folder of dockets, accessible to the clerk alone.

    Raises
    ------
    DocketError
        When it cannot be made.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        if folder.stat().st_uid == os.getuid():
            folder.chmod(0o700)
    except OSError as error:
        raise DocketError(
            f"The folder {folder} cannot be made: {error.strerror}. Check the folder above it."
        ) from error


def new_docket_path(folder: Path, name: str) -> Path:
    """Return an unused path for a new docket; make its folder."""
    make_folder(folder)
    plain = " ".join(re.sub(r"[^\w .,&()-]+", " ", name).split()) or "Docket"
    path, number = folder / f"{plain}{DOCKET_ENDING}", 2
    while path.exists():
        path = folder / f"{plain} {number}{DOCKET_ENDING}"
        number += 1
    return path


def earlier_dockets(folder: Path) -> list[Path]:
    """Return the dockets of a folder, latest first."""
    if not folder.is_dir():
        return []
    found = [p for p in folder.iterdir() if p.suffix == DOCKET_ENDING and p.is_file()]
    return sorted(found, key=lambda p: -last_change(p))


def last_change(docket: Path) -> float:
    """Return when a docket was last changed (seconds); 0 if it is gone.

    While it is open, and after the program was ended by force, the latest changes stand beside it.
    """
    try:
        changed = docket.stat().st_mtime
    except OSError:
        return 0.0
    with contextlib.suppress(OSError):
        changed = max(changed, docket.with_name(f"{docket.name}-wal").stat().st_mtime)
    return changed
