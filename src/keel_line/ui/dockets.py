"""Where dockets are kept, and what a new one is called."""

from __future__ import annotations

import re
from pathlib import Path

import platformdirs

DOCKET_ENDING = ".keel"


def docket_folder() -> Path:
    """Return the folder of the clerk's dockets."""
    return Path(platformdirs.user_data_dir("keel-line", appauthor=False)) / "dockets"


def new_docket_path(folder: Path, name: str) -> Path:
    """Return a path for a new docket that is not taken; makes the folder."""
    folder.mkdir(parents=True, exist_ok=True)
    plain = " ".join(re.sub(r"[^\w .,&()-]+", " ", name).split()) or "Docket"
    path, number = folder / f"{plain}{DOCKET_ENDING}", 2
    while path.exists():
        path = folder / f"{plain} {number}{DOCKET_ENDING}"
        number += 1
    return path


def earlier_dockets(folder: Path) -> list[Path]:
    """Return the dockets of a folder, the one last worked on first."""
    if not folder.is_dir():
        return []
    found = [p for p in folder.iterdir() if p.suffix == DOCKET_ENDING and p.is_file()]
    return sorted(found, key=lambda p: -p.stat().st_mtime)
