"""Every setting, declared once: default, bounds, unit, label and help."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Setting:
    """A number that the clerk can set."""

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


@dataclass(frozen=True)
class Switch:
    """A switch that the clerk can turn on or off."""

    name: str
    default: bool
    label: str
    help: str


TOLERANCE = Setting(
    name="unseen",
    default=1.0,
    low=0.1,
    high=100.0,
    unit="in a thousand",
    label="Tolerance",
    help="How many wrong cells in 1,000 may go unflagged. Fewer means more cells to check.",
)

TOLERANCE_STEPS: tuple[float, ...] = (0.1, 0.2, 0.5, 1.0, 2.0, 3.0, 5.0, 10.0, 20.0, 50.0)
"""Values of ``TOLERANCE`` that the window offers, the strictest first."""


def say_tolerance(value: float) -> str:
    """Return a tolerance in words: "1 wrong cell in 1,000", "2 wrong cells in 1,000"."""
    if value > 1:
        return f"{value:g} wrong cells in 1,000"
    return f"1 wrong cell in {1000 / value:,.0f}"


PLAIN_SIGNS = Switch(
    name="plain-signs",
    default=False,
    label="Plain dashes and quotes",
    help="Write dashes as - and quotes as ' or \", so that they raise no doubt",
)

SETTINGS: tuple[Setting | Switch, ...] = (TOLERANCE, PLAIN_SIGNS)
