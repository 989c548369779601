"""Every setting, declared once: default, bounds, unit, label and help."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Setting:
    """One number that the clerk may set."""

    name: str
    default: float
    low: float
    high: float
    unit: str
    label: str
    help: str

    def check(self, value: float) -> float:
        """Return the value, held within its bounds."""
        return min(self.high, max(self.low, value))


UNSEEN = Setting(
    name="unseen",
    default=1.0,
    low=0.1,
    high=100.0,
    unit="in a thousand",
    label="Wrong cells that may pass unseen",
    help="How many wrong cells in a thousand may go unflagged. Fewer means more cells to look at.",
)

SETTINGS: tuple[Setting, ...] = (UNSEEN,)
