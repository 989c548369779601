"""Tables as JSON; ``tables.schema.json`` beside this module is the contract."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from decimal import Decimal
from pathlib import Path
from typing import Any

import msgspec

from keel_line._shared.column_types import ColumnType
from keel_line.model.docket import ChangeRecord, PageState, SourceState
from keel_line.model.geometry import Box
from keel_line.model.table import CellState, TableState
from keel_line.model.tidy import TidyTable
from keel_line.send.safely import write_safely
from keel_line.send.sent import SentTable
from keel_line.send.values import type_column

AS_PRINTED = "Confirmed as printed, though a check expects another value."
SCHEMA_FILE = Path(__file__).with_name("tables.schema.json")
VERSION, REVISION = 1, 2
"""A change that breaks readers raises the version; an addition raises the revision."""


@dataclass(frozen=True, eq=False)
class TidiedTable:
    """A table as Tidy leaves it.

    ``sent`` has its values, ``made`` the cells that they came from; ``steps`` are what was done,
    each as data and in words, ``joined`` the ids of the tables that go on in it.
    """

    sent: SentTable
    made: TidyTable
    steps: tuple[tuple[dict[str, Any], str], ...]
    joined: tuple[int, ...] = ()


@dataclass(frozen=True, eq=False)
class DocumentParts:
    """What a document tells beside the pages and tables of its source.

    Attributes
    ----------
    program
        The name and version of what wrote it.
    sent
        Tables as they were read with their typed columns, by id.
    tidied
        Tables with steps, by id.
    repeated
        Tables whose heading repeats an earlier one's, by id, and the earlier table's id.
    history
        Who did what, from the first on.
    """

    program: str = ""
    sent: Mapping[int, SentTable] = field(default_factory=dict)
    tidied: Mapping[int, TidiedTable] = field(default_factory=dict)
    repeated: Mapping[int, int] = field(default_factory=dict)
    history: Sequence[ChangeRecord] = ()


def make_document(
    source: SourceState,
    pages: Sequence[PageState],
    tables: Sequence[TableState],
    parts: DocumentParts,
) -> dict[str, object]:
    """Return one source's pages and tables as the schema describes them."""
    writer = _Writer(tables, parts)
    return {
        "format": "keel-line/tables",
        "version": VERSION,
        "revision": REVISION,
        "program": parts.program,
        "source": {"name": source.name, "sha256": source.sha256},
        "pages": [writer.page(p) for p in pages],
        "history": list(writer.history({p.id for p in pages})),
    }


def encode_document(document: dict[str, object]) -> bytes:
    """Return a document as indented UTF-8 JSON with a line break at its end.

    Dates and times are texts as ISO 8601 has them, numbers are written with all their decimals.
    """
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


class _Writer:
    """Writes the parts of a document."""

    def __init__(self, tables: Sequence[TableState], parts: DocumentParts) -> None:
        self._tables = tables
        self._parts = parts
        self._settled = {r.subject: r for r in parts.history if r.kind == "settle" and not r.undone}
        self._joined = {other: first for first, t in parts.tidied.items() for other in t.joined}

    def page(self, page: PageState) -> dict[str, object]:
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
            "tables": [self._table(t) for t in self._tables if t.page_id == page.id],
        }

    def _table(self, table: TableState) -> dict[str, object]:
        sent, tidied = self._parts.sent.get(table.id), self._parts.tidied.get(table.id)
        out: dict[str, object] = {
            "id": str(table.id),
            "name": table.name,
            "caption": table.caption,
            "box": _box(table.grid.box),
            "rows": table.grid.rows,
            "cols": table.grid.cols,
            "header_rows": table.header_rows,
            "expected_wrong": round(table.expected_wrong, 4),
        }
        if table.notes:
            out["notes"] = table.notes
        if table.id in self._parts.repeated:
            out["heading_of"] = str(self._parts.repeated[table.id])
        if table.id in self._joined:
            out["goes_on_in"] = str(self._joined[table.id])
        values: dict[tuple[int, int], object] = {}
        if sent is not None:
            out["columns"] = [_type(c.type) for c in sent.columns]
            values = {
                (row, col): value
                for col, own in enumerate(each_value(sent))
                for row, value in enumerate(own, sent.heading_rows)
            }
        out["cells"] = [self._cell(table, c, values) for c in table.cells]
        if tidied is not None:
            out["tidied"] = _tidied(tidied)
        return out

    def _cell(
        self, table: TableState, state: CellState, values: Mapping[tuple[int, int], object]
    ) -> dict[str, object]:
        cell = state.cell
        place = (cell.row, cell.col)
        out: dict[str, object] = {
            "id": str(state.id),
            "row": cell.row,
            "col": cell.col,
            "row_span": cell.row_span,
            "col_span": cell.col_span,
            "text": state.text,
            "confidence": 1.0 if state.settled else round(state.confidence, 4),
            "flagged": state.in_doubt,
            "reasons": _reasons(table, state),
            "alternatives": [r.text for r in state.reading.runners_up],
            "box": _box(cell.box),
        }
        if place in values:
            out["value"] = values[place]
        if state.settled is not None:
            record = self._settled.get(state.id)
            out["read"] = state.reading.text
            out["settled"] = {
                "by_hand": state.settled.by_hand,
                "as_printed": state.settled.as_printed,
                **({} if record is None else {"who": record.who, "at": record.at}),
            }
        return out

    def history(self, pages: set[int]) -> Iterator[dict[str, object]]:
        """Yield the changes of some pages, and of their tables and cells."""
        tables = {t.id for t in self._tables}
        cells = {s.id for t in self._tables for s in t.cells}
        of_kind = {"settle": cells, "choice": pages, "drawn": pages}
        for record in self._parts.history:
            if record.subject not in of_kind.get(record.kind, tables):
                continue
            yield {
                "at": record.at,
                "who": record.who,
                "kind": record.kind,
                "of": str(record.subject),
                "before": record.before,
                "after": record.after,
                "why": str(record.reason),
                "undone": record.undone,
            }


def each_value(sent: SentTable) -> Iterator[list[object]]:
    """Yield each column's values below the heading, in the forms that JSON has."""
    for col in range(len(sent.columns)):
        found = (v.value for v in type_column(sent, col))
        yield [msgspec.Raw(f"{v:f}".encode()) if isinstance(v, Decimal) else v for v in found]


def _type(kind: ColumnType) -> dict[str, object]:
    """Return a column's type, with only those settings that apply to it."""
    known = asdict(kind)
    wanted = {
        "decimal": ("point", "places"),
        "percent": ("point", "places"),
        "money": ("point", "places", "currency"),
        "date": ("order", "year", "first_year"),
    }.get(kind.kind, ())
    return {"kind": kind.kind, **{name: known[name] for name in wanted if known[name] != ""}}


def _tidied(tidied: TidiedTable) -> dict[str, object]:
    made, sent = tidied.made, tidied.sent
    first = sent.heading_rows
    values = list(each_value(sent))
    return {
        "steps": [{**step, "says": says} for step, says in tidied.steps],
        "header_rows": first,
        "columns": [
            {"id": own.id, "name": c.name, **_type(c.type)}
            for own, c in zip(made.columns, sent.columns, strict=True)
        ],
        "rows": [
            {
                "page": int(made.pages[row]),
                "texts": [str(c.texts[row]) for c in sent.columns],
                "values": [own[row - first] if row >= first else None for own in values],
                "cells": [[str(n) for n in c.sources[row] if n >= 0] for c in made.columns],
            }
            for row in range(made.rows)
        ],
    }


def _reasons(table: TableState, state: CellState) -> list[str]:
    if state.settled is not None:
        return [AS_PRINTED] if state.settled.as_printed else []
    if not state.in_doubt:
        return []
    place = (state.cell.row, state.cell.col)
    found = table.findings.by_place.get(place, [])
    said = [f.says for f in found if not f.holds and f.at == place]
    return [*state.reading.reasons, *said]


def _box(box: Box) -> list[float]:
    return [round(v, 1) for v in box]
