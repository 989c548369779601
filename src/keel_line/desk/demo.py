"""Find the demo's pages, in the wheel or in the checkout."""

from __future__ import annotations

from pathlib import Path

from keel_line.errors import InputError
from keel_line.gather.sources import ENDINGS


def demo_pages() -> list[Path]:
    """Return the demo's page files in order.

    Raises
    ------
    InputError
        When this installation lacks them.
    """
    here = Path(__file__).resolve()
    for folder in (here.parent / "demo_pages", here.parents[3] / "demo" / "pages"):
        if folder.is_dir():
            found = sorted(p for p in folder.iterdir() if p.suffix.lower() in ENDINGS)
            if found:
                return found
    raise InputError("The demo's pages are missing from this installation. Install it again.")
