"""Tables as JSON; ``tables.schema.json`` beside this module is the contract."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

import msgspec

from keel_line.model.docket import PageState
from keel_line.model.finding import Findings
from keel_line.model.geometry import Box
from keel_line.model.table import CellState, TableState
from keel_line.send.safely import write_safely

AS_PRINTED = "Confirmed as printed, though a check expects another value."
SCHEMA_FILE = Path(__file__).with_name("tables.schema.json")


def make_document(
    name: str,
    sha256: str,
    pages: Sequence[PageState],
    tables: Sequence[TableState],
    repeated: Mapping[int, int],
) -> dict[str, object]:
    """Return one source's pages and tables as the schema describes them.

    ``repeated`` gives the id of a table whose heading repeats an earlier one's, and the earlier
    table's id.
    """
    return {
        "format": "keel-line/tables",
        "version": 1,
        "source": {"name": name, "sha256": sha256},
        "pages": [_page(p, [t for t in tables if t.page_id == p.id], repeated) for p in pages],
    }


def encode_document(document: dict[str, object]) -> bytes:
    """Return a document as indented UTF-8 JSON with a line break at its end."""
    return msgspec.json.format(msgspec.json.encode(document), indent=1) + b"\n"


def write_document(document: dict[str, object], target: Path) -> None:
    """Write a document as JSON.

    Raises
    ------
    OutputError
        When the target cannot be written.
    """
    data = encode_document(document)
    write_safely(target, lambda part: _put(part, data))


def _put(part: Path, data: bytes) -> None:
    part.write_bytes(data)


def _page(
    page: PageState, tables: Sequence[TableState], repeated: Mapping[int, int]
) -> dict[str, object]:
    return {
        "number": page.number,
        "kind": page.kind,
        "size_px": list(page.squared_size_px),
        "dpi": [page.dpi, page.dpi],
        "squaring": {
            "quarter_turns": page.turns % 4,
            "angle_deg": round(page.angle_deg, 3),
            "corners": [[round(v, 1) for v in corner] for corner in page.corners] or None,
        },
        "tables": [_table(t, repeated.get(t.id)) for t in tables],
    }


def _table(table: TableState, repeated: int | None) -> dict[str, object]:
    return {
        "id": str(table.id),
        "caption": table.caption,
        **({"notes": table.notes} if table.notes else {}),
        "box": _box(table.grid.box),
        "rows": table.grid.rows,
        "cols": table.grid.cols,
        "header_rows": table.header_rows,
        **({"heading_of": str(repeated)} if repeated is not None else {}),
        "expected_wrong": round(table.expected_wrong, 4),
        "cells": [_cell(c, table.findings) for c in table.cells],
    }


def _cell(state: CellState, findings: Findings) -> dict[str, object]:
    cell = state.cell
    settled = state.settled is not None
    return {
        "row": cell.row,
        "col": cell.col,
        "row_span": cell.row_span,
        "col_span": cell.col_span,
        "text": state.text,
        "confidence": 1.0 if settled else round(state.confidence, 4),
        "flagged": state.in_doubt,
        "reasons": _reasons(state, findings),
        "alternatives": [r.text for r in state.reading.runners_up],
        "box": _box(cell.box),
    }


def _reasons(state: CellState, findings: Findings) -> list[str]:
    if state.settled is not None:
        return [AS_PRINTED] if state.settled.as_printed else []
    if not state.in_doubt:
        return []
    place = (state.cell.row, state.cell.col)
    said = [f.says for f in findings.by_place.get(place, []) if not f.holds and f.at == place]
    return [*state.reading.reasons, *said]


def _box(box: Box) -> list[float]:
    return [round(v, 1) for v in box]
