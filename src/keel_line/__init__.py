"""Keel Line turns scanned paper tables into checked spreadsheets.

Scripts find what they need in :mod:`keel_line.scripting`, which this package offers by its names.
"""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from keel_line.scripting import Cell, Docket, Table, open_docket

__all__ = ["Cell", "Docket", "Table", "__version__", "open_docket"]
__version__ = "0.2.0.dev0"

# onnxruntime reports to its maker unless this is set before its first import, in every process.
os.environ["ORT_DISABLE_TELEMETRY"] = "1"


def __getattr__(name: str) -> object:
    """Load what scripts ask for when they do: nothing else of the program waits for it."""
    if name in __all__:
        from keel_line import scripting  # noqa: PLC0415 - see above

        return getattr(scripting, name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
