"""Words for the line at the top and the ribbon at the bottom: what waits where."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtGui import QPixmap

from keel_line._shared.texts import count_of
from keel_line.desk.tally import Tally
from keel_line.model.docket import PageState
from keel_line.ui.widgets.line import STATIONS, Stop
from keel_line.ui.widgets.ribbon import RibbonPage

PURPOSES = {
    "gather": "add pages",
    "square": "straighten pages",
    "rule": "check the grid",
    "proof": "check the readings",
    "tidy": "tidy columns",
    "send": "write files",
}
"""What each station is for, said under its name until something waits there."""


@dataclass
class PageCounts:
    """How many pages of a docket there are, and how many of them call for what.

    ``bare`` are those read without a table; ``refused`` are files that could not be added.
    """

    pages: int = 0
    done: int = 0
    failed: int = 0
    to_check: int = 0
    bare: int = 0
    refused: int = 0

    def add(self, page: PageState, times: int = 1) -> None:
        """Count a page in (1) or out (-1)."""
        done = page.progress == "done"
        self.pages += times
        self.done += times * done
        self.failed += times * (page.progress == "failed")
        self.to_check += times * page.needs_review
        self.bare += times * (done and not page.tables)


def make_stops(pages: PageCounts, tables: Tally, joins: int = 0) -> tuple[Stop, ...]:
    """Return the six stations with what waits at each and the docket's progress.

    ``joins`` is how many tables may go on in the next.
    """
    proofed = bool(tables.tables) and not tables.open
    proof = "all settled" if tables.flagged else "no doubts"
    if not tables.tables:
        proof = ""
    elif tables.open:
        proof = count_of(tables.open, "doubt")
    waiting = {
        "gather": _gather_words(pages),
        "square": f"{pages.to_check} to check" if pages.to_check else "",
        "rule": _rule_words(tables) if pages.done else "",
        "proof": proof,
        "tidy": _tidy_words(tables, joins),
        "send": "ready" if proofed else "",
    }
    calls = {
        "gather": pages.failed + pages.refused > 0,
        "square": pages.to_check > 0,
        "rule": tables.lines > 0 or pages.bare > 0,
        "proof": tables.open > 0,
        "tidy": joins > 0,
    }
    reached = {
        "gather": pages.pages > 0,
        "square": pages.done > 0,
        "rule": tables.tables > 0,
        "proof": proofed,
        "tidy": tables.tidied > 0,
    }
    return tuple(
        Stop(
            name,
            name.capitalize(),
            waiting.get(name) or PURPOSES[name],
            calls=calls.get(name, False),
            reached=reached.get(name, False),
        )
        for name in STATIONS
    )


def _gather_words(pages: PageCounts) -> str:
    words = [count_of(pages.pages, "page")] if pages.pages else []
    if pages.refused:
        words.append(f"{count_of(pages.refused, 'file')} not added")
    return ", ".join(words)


def _rule_words(tables: Tally) -> str:
    if tables.lines:
        return f"{count_of(tables.lines, 'line')} to check"
    return count_of(tables.tables, "table") if tables.tables else ""


def _tidy_words(tables: Tally, joins: int) -> str:
    if joins:
        return f"{count_of(joins, 'join')} to check"
    return f"{tables.tidied} of {tables.tables} tidied" if tables.tidied else ""


def make_ribbon_page(page: PageState, counts: Tally, small: QPixmap | None) -> RibbonPage:
    """Return a page of the ribbon, with the counts of its tables and its small picture."""
    state: str = page.progress
    if state == "done" and counts.open:
        state = "doubtful"
    elif state == "done" and counts.settled:
        state = "settled"
    words = {
        "doubtful": count_of(counts.open, "doubt"),
        "settled": "all doubts settled",
        "failed": page.trouble,
        "waiting": "not read yet",
        "done": "no doubts" if page.tables else "no table found",
    }[state]
    tip = f"{page.source_name}, page {page.number}: {words}"
    return RibbonPage(page.id, state, tip, small)
