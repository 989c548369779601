"""Steps that name, drop, move, join and split columns, and set their types."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable
from dataclasses import replace
from typing import Literal

import numpy as np
from typing_extensions import override

from keel_line._shared.column_types import ColumnType
from keel_line._shared.texts import count_of
from keel_line.model.tidy import TidyColumn, TidyTable, as_texts, merge_sources
from keel_line.tidy.step import ColumnRef, MisfitError, Step, find_column, make_id

_MOST_NAME, _MOST_NAMED = 120, 3
_MONEY = r"[£$€¥]|\bkr\.?|\bFr\.?"
_MARK = re.compile(r"\s*(?P<mark>[*†‡§¶]+|[¹²³⁴⁵⁶⁷⁸⁹⁰]+|\(\d{1,2}\)|\b[a-z]\))$")
_SIGN = re.compile(rf"^(?P<sign>{_MONEY})\s?(?=[\d(\-–−])")
_UNIT = re.compile(r"(?<=\d)\s*(?P<unit>[/.]?[A-Za-zµ°%²³][A-Za-zµ°%²³/.]{0,7})$")


class NamesFromHeadings(Step, frozen=True, tag="names from headings"):
    """Heading rows become the columns' names; several levels are joined from above."""

    @override
    def say(self) -> str:
        return "headings to names"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        if not table.heading_rows:
            raise MisfitError("There is no heading row.")
        said = {
            int(c.sources[row, 0]): c.texts[row]
            for c in table.columns
            for row in range(table.heading_rows)
            if c.texts[row]
        }
        columns = []
        for column in table.columns:
            words: list[str] = []
            for row in range(table.heading_rows):
                text = column.texts[row] or said.get(int(column.sources[row, 0]), "")
                if text and text not in words:
                    words.append(text)
            name = " ".join(words)[:_MOST_NAME] or column.name
            columns.append(replace(column, name=name))
        return replace(table, columns=tuple(columns)).take_rows(
            np.arange(table.heading_rows, table.rows)
        )


class Rename(Step, frozen=True, tag="rename"):
    """A column gets another name."""

    column: ColumnRef
    name: str

    @override
    def say(self) -> str:
        return f"{self.column.say()} is {self.name}"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        return table.put_column(replace(find_column(table, self.column), name=self.name))


class DropEmptyColumns(Step, frozen=True, tag="drop empty columns"):
    """Columns in which nothing stands below the headings go."""

    @override
    def say(self) -> str:
        return "empty columns out"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        empty = set(find_empty_columns(table))
        return table.put_columns(c for c in table.columns if c.id not in empty)


class DropColumns(Step, frozen=True, tag="drop columns"):
    """Columns go."""

    columns: tuple[ColumnRef, ...]

    @override
    def say(self) -> str:
        return f"{_list(self.columns)} out"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        gone = {find_column(table, ref).id for ref in self.columns}
        return table.put_columns(c for c in table.columns if c.id not in gone)


class MoveColumn(Step, frozen=True, tag="move column"):
    """A column moves before another, or to the end."""

    column: ColumnRef
    before: ColumnRef | None = None

    @override
    def say(self) -> str:
        where = "to the end" if self.before is None else f"before {self.before.say()}"
        return f"{self.column.say()} {where}"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        column = find_column(table, self.column)
        others = [c for c in table.columns if c.id != column.id]
        at = len(others)
        if self.before is not None:
            target = find_column(table, self.before).id
            at = next((k for k, c in enumerate(others) if c.id == target), len(others))
        return table.put_columns([*others[:at], column, *others[at:]])


class JoinColumns(Step, frozen=True, tag="join columns"):
    """Columns become one, their texts joined where there are several."""

    columns: tuple[ColumnRef, ...]
    between: str = " "

    @override
    def say(self) -> str:
        return f"{_list(self.columns)} joined"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        parts = [find_column(table, ref) for ref in self.columns]
        if len({c.id for c in parts}) < 2:
            raise MisfitError("Two columns are needed.")
        rows = zip(*(c.texts for c in parts), strict=True)
        texts = as_texts(self.between.join(t for t in row if t) for row in rows)
        name = " ".join(dict.fromkeys(c.name for c in parts if c.name))
        joined = TidyColumn(
            parts[0].id, name, texts, merge_sources([c.sources for c in parts]), parts[0].type
        )
        gone = {c.id for c in parts[1:]}
        return table.put_columns(
            joined if c.id == joined.id else c for c in table.columns if c.id not in gone
        )


class SplitColumn(Step, frozen=True, tag="split column"):
    """A column becomes several: at a sign, or after a number of characters."""

    column: ColumnRef
    at: str = " "
    width: int = 0
    most: int = 2

    @override
    def say(self) -> str:
        where = f"after {count_of(self.width, 'character')}" if self.width else f"at “{self.at}”"
        return f"{self.column.say()} split {where}"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        column = find_column(table, self.column)
        if not self.width and not self.at:
            raise MisfitError("Say at which sign to split.")
        parts = [self._split(text) for text in column.texts[table.heading_rows :]]
        wide = max((len(p) for p in parts), default=1)
        if wide < 2:
            raise MisfitError(f"No cell of {self.column.say()} can be split there.")
        headings = [[t] for t in column.texts[: table.heading_rows]]
        padded = [[*p, *[""] * (wide - len(p))] for p in (*headings, *parts)]
        new = []
        for k in range(wide):
            own = as_texts(row[k] for row in padded)
            sources = np.where((own == "")[:, None], -1, column.sources)
            name = column.name if k == 0 else f"{column.name} {k + 1}".strip()
            new.append(
                TidyColumn(column.id if k == 0 else f"{column.id}.{k + 1}", name, own, sources)
            )
        if any(c.id in table.indexes for c in new[1:]):
            raise MisfitError(f"{self.column.say()} is split already.")
        return _put_after(table, column.id, new)

    def _split(self, text: str) -> list[str]:
        if self.width:
            head, tail = text[: self.width].strip(), text[self.width :].strip()
            return [head, tail] if tail else [head]
        return [part.strip() for part in text.split(self.at, self.most - 1)]


class PartSigns(Step, frozen=True, tag="part signs"):
    """What stands about a column's numbers goes into a column of its own.

    ``what`` is the sign of money before them, the unit after them, or a footnote's mark.
    """

    column: ColumnRef
    what: Literal["currency", "unit", "mark"]

    @override
    def say(self) -> str:
        return f"{self.what} of {self.column.say()} apart"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        column = find_column(table, self.column)
        pattern = {"currency": _SIGN, "unit": _UNIT, "mark": _MARK}[self.what]
        found = [
            None if row < table.heading_rows else pattern.search(text)
            for row, text in enumerate(column.texts)
        ]
        if not any(found):
            raise MisfitError(f"No {self.what} stands in {self.column.say()}.")
        texts = as_texts(
            t if m is None else (t[: m.start()] + t[m.end() :]).strip()
            for t, m in zip(column.texts, found, strict=True)
        )
        signs = as_texts("" if m is None else m.group().strip() for m in found)
        sources = np.where((signs == "")[:, None], -1, column.sources)
        name = f"{column.name} {self.what}".strip()
        other = TidyColumn(make_id(table, f"{column.id}.{self.what[0]}"), name, signs, sources)
        return _put_after(table, column.id, [replace(column, texts=texts), other])


class SetType(Step, frozen=True, tag="set type"):
    """The texts of columns mean numbers, dates or something else from now on."""

    columns: tuple[ColumnRef, ...]
    type: ColumnType

    @override
    def say(self) -> str:
        return f"{_list(self.columns)}: {self.type.say()}"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        for ref in self.columns:
            table = table.put_column(replace(find_column(table, ref), type=self.type))
        return table


def find_empty_columns(table: TidyTable) -> list[str]:
    """Return the ids of the columns in which nothing stands below the headings."""
    return [c.id for c in table.columns if not (c.texts[table.heading_rows :] != "").any()]


def find_signs(texts: Iterable[str]) -> Counter[str]:
    """Count the signs of money, the units and the marks about a column's numbers."""
    out: Counter[str] = Counter()
    for text in texts:
        if not any(c.isdigit() for c in text):
            continue
        out["currency"] += bool(_SIGN.search(text))
        out["mark"] += bool(_MARK.search(text))
        match = _UNIT.search(text)
        if match is not None:
            out[f"unit {match['unit']}"] += 1
    return out


def _put_after(table: TidyTable, at: str, new: list[TidyColumn]) -> TidyTable:
    """Return the table with several columns in place of one."""
    columns: list[TidyColumn] = []
    for column in table.columns:
        columns += new if column.id == at else [column]
    return table.put_columns(columns)


def _list(refs: tuple[ColumnRef, ...]) -> str:
    names = [ref.say() for ref in refs]
    if len(names) > _MOST_NAMED:
        names = [*names[: _MOST_NAMED - 1], f"{len(names) - _MOST_NAMED + 1} more"]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
