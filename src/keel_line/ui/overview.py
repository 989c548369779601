"""Words for the line at the top and the ribbon at the bottom: what waits where."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from PyQt6.QtGui import QPixmap

from keel_line._shared.texts import count_of
from keel_line.desk.tally import Tally
from keel_line.model.docket import PageState
from keel_line.model.table import TableState
from keel_line.ui.widgets.line import STATIONS, Stop
from keel_line.ui.widgets.ribbon import RibbonPage

PURPOSES = {
    "gather": "add pages",
    "square": "straighten pages",
    "rule": "check the grid",
    "proof": "check the readings",
    "tidy": "tidy columns (later)",
    "send": "write files",
}
"""What each station is for, said under its name until something waits there."""


def make_stops(
    pages: Sequence[PageState], tallies: Sequence[Tally], built: Collection[str], lines: int = 0
) -> tuple[Stop, ...]:
    """Return the six stations with what waits at each and the docket's progress.

    ``tallies`` are those of the docket's tables; ``built`` names the stations that can be gone to;
    ``lines`` is how many boundaries of tables need a check.
    """
    doubts = sum(t.open for t in tallies)
    done = [p for p in pages if p.progress == "done"]
    proofed = bool(tallies) and not doubts
    settled = any(t.flagged > t.open for t in tallies)
    proof = "all settled" if settled else "no doubts"
    waiting = {
        "gather": count_of(len(pages), "page") if pages else "",
        "square": _square_words(pages),
        "rule": _rule_words(len(tallies), lines) if done else "",
        "proof": count_of(doubts, "doubt") if doubts else (proof if tallies else ""),
        "send": "ready" if proofed else "",
    }
    calls = {
        "gather": any(p.progress == "failed" for p in pages),
        "square": any(p.needs_review for p in pages),
        "rule": lines > 0 or any(not p.tables for p in done),
        "proof": doubts > 0,
    }
    reached = {
        "gather": bool(pages),
        "square": bool(done),
        "rule": bool(tallies),
        "proof": proofed,
    }
    return tuple(
        Stop(
            name,
            name.capitalize(),
            waiting.get(name) or PURPOSES[name],
            calls=calls.get(name, False),
            built=name in built,
            reached=reached.get(name, False),
        )
        for name in STATIONS
    )


def _square_words(pages: Sequence[PageState]) -> str:
    looks = sum(p.needs_review for p in pages)
    if looks:
        return f"{looks} to check"
    return ""


def _rule_words(tables: int, lines: int) -> str:
    if lines:
        return f"{count_of(lines, 'line')} to check"
    return count_of(tables, "table") if tables else ""


def make_ribbon(
    pages: Sequence[PageState],
    tables: Sequence[TableState],
    tallies: Sequence[Tally],
    small: Mapping[int, QPixmap],
) -> tuple[RibbonPage, ...]:
    """Return the ribbon's pages; ``small`` holds the small pictures by page id."""
    doubtful: dict[int, int] = {}
    settled: set[int] = set()
    for table, tally in zip(tables, tallies, strict=True):
        doubtful[table.page_id] = doubtful.get(table.page_id, 0) + tally.open
        if tally.settled:
            settled.add(table.page_id)
    shown = []
    for page in pages:
        doubts = doubtful.get(page.id, 0)
        state: str = page.progress
        if state == "done" and doubts:
            state = "doubtful"
        elif state == "done" and page.id in settled:
            state = "settled"
        words = {
            "doubtful": count_of(doubts, "doubt"),
            "settled": "all doubts settled",
            "failed": page.trouble,
            "waiting": "waiting to be read",
            "done": "no doubts" if page.tables else "no table found",
        }[state]
        tip = f"{page.source_name}, page {page.number}: {words}"
        shown.append(RibbonPage(page.id, state, tip, small.get(page.id)))
    return tuple(shown)
