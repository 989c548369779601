"""A jig does on the next page of a form what was done on the first, and nothing on other forms."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import jsonschema
import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

import keel_line.tidy
from keel_line.desk.desk import Desk
from keel_line.desk.jigs import (
    EARLIER,
    JigError,
    Shelf,
    list_parts,
    read_jig,
    rename,
    take_out,
)
from keel_line.desk.tidying import keep_as_jig, lay_on, tidy_table
from keel_line.errors import OutputError
from keel_line.model.finding import DrawnSum, Sums
from keel_line.model.table import TableState
from keel_line.send.sent import SendOptions
from keel_line.tidy.jigs import Jig, Writing, decode_jig, encode_jig, fit_jig
from tests.tidy.test_joins import HEADING, XS, entries, table

SCHEMA = Path(keel_line.tidy.__file__).with_name("jig.schema.json")
MARCH = table(1, entries(1, 8), caption="Log, March 1974")


def tidied(of: TableState) -> TableState:
    return replace(of, steps=tidy_table(of).take_all().encoded)


JIG = keep_as_jig("Stores log", tidied(MARCH), 300.0)


@pytest.mark.parametrize(
    "other",
    [
        table(2, entries(40, 12), caption="Log, April 1975"),
        table(2, entries(40, 12), xs=(300.0, 475.0, 1010.0, 1320.0)),  # scanned larger, elsewhere
        table(2, entries(40, 12), heading=("N0.", "Vesse1", "Dues")),  # misread
        table(2, entries(40, 12), heading=("no", "VESSEL", "Dues.")),
    ],
)
def test_it_is_laid_on_pages_of_its_form(other: TableState) -> None:
    assert fit_jig(JIG, other).sure
    change = lay_on(other, JIG)
    assert change is not None
    made = tidy_table(replace(other, steps=change.encoded))
    assert [c.name for c in made.table.columns] != ["", "", ""]
    assert [d.type.kind for d in made.types] == ["whole number", "text", "decimal"]
    (ready, *_) = tidy_table(other, (), [JIG]).suggestions
    assert ready.words == "As Stores log: 3 steps"
    taken = tidy_table(other, (), [JIG]).take_all()
    assert len(taken.trail.steps) >= 3


@pytest.mark.parametrize(
    ("other", "why"),
    [
        (table(2, entries(1, 8), heading=("No.", "Buoy", "Depth")), "“Buoy” stands for “Vessel”"),
        (table(2, entries(1, 8), xs=(100.0, 300.0, 420.0, 560.0)), "column 1 is wider"),
        (table(2, [r[:2] for r in entries(1, 8)], heading=HEADING[:2], xs=XS[:3]), "2 columns"),
        (table(2, entries(1, 8), heading=()), "“nothing” stands for “No.”"),
    ],
)
def test_it_is_not_laid_on_other_forms(other: TableState, why: str) -> None:
    fit = fit_jig(JIG, other)
    assert not fit.sure
    assert why in "; ".join(fit.differs)
    assert lay_on(other, JIG) is None
    assert not any(s.key.startswith("jig") for s in tidy_table(other, (), [JIG]).suggestions)


def test_a_form_without_a_heading_is_known_by_its_columns_alone() -> None:
    rows = [(str(k), "Wren", f"{k}.50", "3 May 1974") for k in range(1, 9)]
    xs = (*XS, 700.0)
    jig = keep_as_jig("Bare", tidied(table(1, rows, heading=(), xs=xs)), 300.0)
    assert fit_jig(jig, table(2, rows[2:], heading=(), xs=xs)).sure
    assert not fit_jig(jig, table(2, rows, heading=(), xs=(100.0, 205.0, 430.0, 560.0, 700.0))).sure
    text = [("Wren", "Wren", "Tern", "x")] * 6
    assert not fit_jig(jig, table(2, text, heading=(), xs=xs)).sure


def test_what_speaks_of_one_page_is_not_kept_and_the_year_follows() -> None:
    dated = table(
        1, [("3 Mar", "Wren", "1.50"), ("9 Mar", "Tern", "2.50")] * 4, caption="Log of 1974"
    )
    done = tidy_table(replace(tidied(dated)))
    done = tidy_table(replace(dated, steps=done.drop_rows([1]).encoded))
    jig = keep_as_jig("Log", replace(dated, steps=done.add().encoded), 300.0)
    assert "drop rows" not in encode_jig(jig).decode()
    later = replace(dated, caption="Log of 1975", name="Log")
    change = lay_on(later, jig)
    assert change is not None
    made = tidy_table(replace(later, steps=change.encoded))
    assert made.types[0].type.say() == "date of 1975"


def test_its_file_is_open_and_as_its_schema_says(tmp_path: Path) -> None:
    schema = json.loads(SCHEMA.read_text(encoding="utf-8"))
    now = json.loads(msgspec.json.encode(msgspec.json.schema(Jig)))
    assert schema == now, "write it again: make schema"
    jsonschema.validate(json.loads(encode_jig(JIG)), schema)
    assert decode_jig(encode_jig(JIG)) == JIG
    shelf = Shelf(tmp_path / "Jigs")
    assert shelf.jigs() == []
    path = shelf.keep(replace_name(JIG, "Stores / log: 1974"))
    assert path.name == "Stores log 1974.jig"
    shelf.keep(JIG)
    assert [j.name for j in shelf.jigs()] == ["Stores / log: 1974", "Stores log"]
    path.write_text("{", encoding="utf-8")
    assert [j.name for j in shelf.jigs()] == ["Stores log"]
    with pytest.raises(JigError, match="no jig, or is damaged"):
        read_jig(path)
    with pytest.raises(JigError, match="cannot be read"):
        read_jig(tmp_path / "none.jig")
    with pytest.raises(OutputError, match="no folder"):
        Shelf(None).keep(JIG)


def replace_name(jig: Jig, name: str) -> Jig:
    return msgspec.structs.replace(jig, name=name)


@pytest.mark.parametrize(
    "change",
    [
        {"lines": [0.0]},
        {"lines": [0.0, 2.0]},
        {"kinds": []},
        {"version": 2},
        {"format": "other"},
        {"steps": [{"step": "run", "command": "rm"}]},
        {"heading": [["x" * 3000]]},
        {"write": {"ending": "." * 99}},
        {"write": {"options": {str(k): True for k in range(99)}}},
        {"write": {"options": {"marks": ["rm"]}}},
    ],
)
def test_a_hostile_file_is_refused(change: dict[str, object]) -> None:
    made = {**json.loads(encode_jig(JIG)), **change}
    with pytest.raises(ValueError, match=r".*"):
        decode_jig(json.dumps(made).encode())
    with pytest.raises(ValueError, match="too large"):
        decode_jig(b" " * 2_000_000)


@given(st.binary(max_size=200))
def test_any_bytes_are_a_jig_or_refused(data: bytes) -> None:
    with pytest.raises(ValueError, match=r".*"):
        decode_jig(data)


def test_it_says_what_to_write_where_the_clerk_did_not(tmp_path: Path) -> None:
    first = Desk()
    assert first.writing is None
    first.set_send_options(SendOptions(stacked=True, separator=";"))
    first.set_send_ending(".csv")
    path = Shelf(tmp_path).keep(keep_as_jig("Log", tidied(MARCH), 300.0, first.writing))
    kept = read_jig(path).write
    second = Desk()
    assert second.follow_writing(kept)
    assert (second.send_options, second.send_ending) == (first.send_options, ".csv")
    second.set_send_options(SendOptions())
    assert not second.follow_writing(kept)  # the clerk's own choice stays
    assert second.send_options == SendOptions()
    third = Desk()
    assert not third.follow_writing(None)
    assert not third.follow_writing(Writing(".csv", {"separator": "rm"}))
    assert not third.follow_writing(Writing(".csv", {"marks": "perhaps"}))
    assert third.follow_writing(Writing(".exe", {"of a later version": True}))
    assert (third.send_options, third.send_ending) == (SendOptions(), "")


def test_the_demo_ledger_is_laid_in_one_step(demo_desk: Desk) -> None:
    ledger, *others = demo_desk.tables()
    jig = keep_as_jig(
        "Berth dues", replace(ledger, steps=tidy_table(ledger).take_all().encoded), 300.0
    )
    assert fit_jig(jig, ledger).sure
    assert not any(fit_jig(jig, t).sure for t in others)


def test_it_knows_what_columns_said_but_not_what_is_in_doubt() -> None:
    doubtful = replace(MARCH, cells=tuple(replace(c, flagged=True) for c in MARCH.cells))
    kept = keep_as_jig("Stores log", MARCH, 300.0)
    assert kept.known is not None
    _, vessels, dues = kept.known.columns
    assert vessels.cells == dues.cells == 8
    assert all(count > 1 for count in vessels.values.values())
    assert set(dues.forms) == {"9.9"}
    unsure = keep_as_jig("Stores log", doubtful, 300.0).known
    assert unsure is not None
    assert {c.cells for c in unsure.columns} == {0}
    assert decode_jig(encode_jig(kept)).known == kept.known


@pytest.mark.parametrize(
    "column",
    [
        {"cells": 2, "values": {"N 2": 9}, "forms": {}},
        {"cells": 10**9, "values": {}, "forms": {}},
        {"cells": 9, "values": {"x" * 100: 2}, "forms": {}},
        {"cells": 9, "values": {}, "forms": {"9": -1}},
    ],
)
def test_counts_that_cannot_be_are_refused(column: dict[str, object]) -> None:
    told = json.loads(encode_jig(JIG)) | {"columns": [column] * len(JIG.kinds)}
    with pytest.raises(ValueError, match="columns say"):
        decode_jig(json.dumps(told).encode())


def test_the_sums_of_a_form_are_a_part_of_their_own() -> None:
    assert JIG.page is not None
    sums = Sums((DrawnSum((8, 2), ((1, 2), (2, 2))),), ((3, 2),))
    page = msgspec.structs.replace(JIG.page, sums=sums)
    jig = msgspec.structs.replace(JIG, page=page)
    (part,) = (p for p in list_parts(jig) if p.kind == "sums")
    assert part.words == "Sums on the page: 1 sum, 1 total dropped"
    assert take_out(jig, part) == JIG
    (lines,) = (p for p in list_parts(jig) if p.kind == "lines")
    assert take_out(jig, lines).page is None


def test_a_jig_that_is_replaced_is_kept_beside(tmp_path: Path) -> None:
    shelf = Shelf(tmp_path)
    first = shelf.keep(JIG)
    other = msgspec.structs.replace(JIG, steps=())
    assert shelf.keep(other) == first
    (earlier,) = (tmp_path / EARLIER).iterdir()
    assert read_jig(earlier) == JIG
    assert shelf.jigs() == [other]
    alike = rename(JIG, "Stores/log")  # another name of the same file
    assert shelf.keep(alike) != first
    assert {j.name for j in shelf.jigs()} == {"Stores log", "Stores/log"}
