"""Judges a table: runs its checks and flags its cells."""

from __future__ import annotations

from dataclasses import replace

from keel_line.check.checks import likeness, run_checks, weigh_findings
from keel_line.check.drawn_sums import apply_sums
from keel_line.check.sheet import Sheet, Value
from keel_line.desk.learning import learn, topic_of
from keel_line.desk.misreadings import Misreadings, gather_misreadings
from keel_line.desk.tidying import check_types
from keel_line.model.finding import Finding, Findings
from keel_line.model.table import LEAST_CHANCE, CellState, TableState
from keel_line.read.confidence import Flagging

# Between one in four and nine in ten of such cells of made registers were wrong, too.
_MISREAD_ALIKE = 0.5

_SEVERAL_ROWS = 0.3  # a cell that holds what several rows say is likelier wrong than right

_FIRST_CHANCE, _LAST_CHANCE = 0.03, 0.45  # of lines in doubt, at any tolerance

RECKONINGS = frozenset({"sum", "relation"})
"""Kinds of checks that reckon with amounts."""


def judge_table(
    table: TableState, flagging: Flagging, misreadings: Misreadings | None = None
) -> TableState:
    """Run the checks over a table's current values, and flag its cells.

    Cells of which nothing changes stay the same objects. What comes out follows from the texts, the
    readings, and what the settled cells teach of pairs of shapes and of misreadings.

    Parameters
    ----------
    table
        The table.
    flagging
        Says how sure a cell must be. Doubt that the checks take away lets no other cell pass: the
        cut follows from the readings alone.
    misreadings
        What was corrected in the docket; what was in this table alone where it is not given.
    """
    sheet = make_sheet(table)
    vouched = {(s.cell.row, s.cell.col) for s in table.cells if s.settled and s.settled.as_printed}
    # Where the clerk vouches that the paper says so, a check that fails there blames nobody.
    said = [*apply_sums(run_checks(sheet), sheet, table.sums), *check_types(table)]
    findings = Findings(f for f in said if f.holds or f.at not in vouched)
    _ = findings.by_place, findings.wanting  # found here, where nobody waits for it
    before = {(s.cell.row, s.cell.col): s.reading.confidence for s in table.cells}
    weighed = weigh_findings(sheet, before, findings)
    cut = flagging.find_cut(list(before.values()))
    lasting = {f.at for f in findings if f.lasting}
    reckoned = {f.at for f in findings if not f.holds and f.kind in RECKONINGS}
    lessons = learn(table.cells)
    known = gather_misreadings([table]) if misreadings is None else misreadings
    cells = []
    for state in table.cells:
        place = (state.cell.row, state.cell.col)
        broken = place in reckoned
        # What was settled was looked at; whether it was in doubt before stays as it was.
        sure = state.confidence if state.settled else weighed[place]
        recalled = known.recall(table.grid.cols, state)
        if recalled:
            sure = min(sure, _MISREAD_ALIKE)
        elif state.settled is None and sure < cut and place not in findings.wanting:
            topic = topic_of(state)
            sure = sure if topic is None else lessons.apply_lessons(topic, sure)
        if state.settled is None and (place in lasting or is_unaccounted(state)):
            # No check speaks for ink that nobody read: it may add to the doubt, not take from it.
            sure = min(sure, before[place], _SEVERAL_ROWS if place in lasting else 1.0)
        stays = bool(recalled) or place in lasting
        flagged = state.flagged if state.settled else sure < cut or stays
        was = (state.flagged, state.weighed, state.broken, state.recalled)
        if was == (flagged, sure, broken, recalled):
            cells.append(state)
            continue
        cells.append(  # built anew, not by replace(), which takes thrice as long
            CellState(
                state.id, state.cell, state.reading, state.settled, flagged, sure, broken, recalled
            )
        )
    return replace(
        table,
        cells=tuple(cells),
        least_confidence=cut,
        findings=findings,
        least_chance=min(max(1000 * flagging.rate * LEAST_CHANCE, _FIRST_CHANCE), _LAST_CHANCE),
    )


def is_unaccounted(state: CellState) -> bool:
    """Return whether a cell has ink that no character explains, or writing that is cut off."""
    return bool(state.reading.unread) or state.reading.held_down


def make_sheet(table: TableState) -> Sheet:
    """Return a table's values as a sheet for the checks."""
    values = {
        (s.cell.row, s.cell.col): Value(s.text, tuple(r.text for r in s.reading.runners_up))
        for s in table.cells
    }
    return Sheet(table.grid.rows, table.grid.cols, table.header_rows, values)


def findings_at(table: TableState, state: CellState) -> list[Finding]:
    """Return the findings about a cell: failed checks first, and first those that mark the cell."""
    place = (state.cell.row, state.cell.col)
    own = table.findings.by_place.get(place, [])
    return sorted(own, key=lambda f: (f.holds, f.at != place))


def values_wanted(table: TableState, state: CellState) -> list[str]:
    """Return the values that would satisfy a cell's failing checks, likeliest first.

    A value far from what was read is only offered for the cell that the check marks.
    """
    place = (state.cell.row, state.cell.col)
    if place not in table.findings.wanting:
        return []
    others = [r.text for r in state.reading.runners_up]
    order = {"other": 0, "near": 1, "far": 2}
    found: dict[str, int] = {}
    for finding in table.findings:
        for wanted in finding.wanted if not finding.holds else ():
            if wanted.place != place or wanted.text == state.text:
                continue
            near = likeness(" ".join(state.text.split()), others, wanted.text)
            if near != "far" or finding.at == place:
                found[wanted.text] = min(found.get(wanted.text, 9), order[near])
    return sorted(found, key=lambda t: found[t])
