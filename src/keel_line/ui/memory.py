"""What the window remembers from one start to the next: position, theme, folders and zoom."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

import platformdirs
from PyQt6.QtCore import QByteArray, QSettings

ThemeName = Literal["light", "dark"]


def memory_path() -> Path:
    """Return where the window's memory is, in the user's folder of settings."""
    return platformdirs.user_config_path("keel-line", appauthor=False) / "window.ini"


class WindowMemory:
    """Stores the window's settings in a file; without a path they last until the program ends.

    What cannot be written is not kept, and what cannot be read is as if never set.
    """

    def __init__(self, path: Path | None) -> None:
        self._held: dict[str, object] = {}
        self._file: QSettings | None = None
        if path is not None:
            try:  # the folders that the clerk works in are nobody else's business
                path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            except OSError:
                return
            self._file = QSettings(str(path), QSettings.Format.IniFormat)

    def _get(self, name: str) -> object:
        return self._held.get(name) if self._file is None else self._file.value(name)

    def _set(self, name: str, value: object) -> None:
        if self._file is None:
            self._held[name] = value
        else:
            self._file.setValue(name, value)

    @property
    def place(self) -> QByteArray:
        """The window's position and size, as Qt stores them; empty if none were stored."""
        value = self._get("place")
        return value if isinstance(value, QByteArray) else QByteArray()

    @place.setter
    def place(self, value: QByteArray) -> None:
        self._set("place", value)

    @property
    def theme(self) -> ThemeName | None:
        """The colours that the clerk chose; None where the desktop's are to be taken."""
        value = self._get("theme")
        return "dark" if value == "dark" else "light" if value == "light" else None

    @theme.setter
    def theme(self, value: ThemeName) -> None:
        self._set("theme", value)

    def steps(self, view: str) -> int:
        """Return a view's zoom: steps in (above 0) or out (below 0)."""
        try:
            return int(str(self._get(f"zoom-{view}")))
        except ValueError:
            return 0

    def keep_steps(self, view: str, steps: int) -> None:
        """Store a view's zoom in steps."""
        self._set(f"zoom-{view}", steps)

    def folder(self, purpose: str, otherwise: Path | None = None) -> str:
        """Return the folder that was last used for this; ``otherwise`` if it is gone or unknown."""
        value = self._get(f"folder-{purpose}")
        if isinstance(value, str) and value and Path(value).is_dir():
            return value
        return "" if otherwise is None else str(otherwise)

    def keep_folder(self, purpose: str, path: Path) -> None:
        """Store the folder of a file that the clerk chose."""
        self._set(f"folder-{purpose}", str(path.parent))
