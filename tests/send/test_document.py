"""JSON tells what was read, what it means, what was done, and by whom."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import jsonschema
import openpyxl

from keel_line.desk.desk import Desk
from keel_line.desk.tidying import tidy_table
from keel_line.send.document import SCHEMA_FILE, each_value, encode_document
from tests.send.test_tidied import KINDS, NAMES, ROWS, typed

FIRST = Path(__file__).with_name("tables_first.schema.json")
"""The schema of the first revision: its readers must still understand what is written."""


def send(desk: Desk, folder: Path) -> list[dict[str, Any]]:
    schema = json.loads(SCHEMA_FILE.read_text(encoding="utf-8"))
    first = json.loads(FIRST.read_text(encoding="utf-8"))
    out = [json.loads(p.read_bytes()) for p in desk.send(folder / "out.json").files]
    for document in out:
        jsonschema.Draft202012Validator(schema).validate(document)
        jsonschema.Draft202012Validator(first).validate(document)
    return out


def first_table(desk: Desk, folder: Path) -> dict[str, Any]:
    wanted = str(desk.tables()[0].id)
    every = (t for d in send(desk, folder) for p in d["pages"] for t in p["tables"])
    return next(t for t in every if t["id"] == wanted)


def test_columns_have_types_and_cells_have_values(demo_desk: Desk, tmp_path: Path) -> None:
    table = first_table(demo_desk, tmp_path)
    kinds = [c["kind"] for c in table["columns"]]
    assert len(kinds) == table["cols"]
    assert kinds[3:5] == ["date", "date"]
    body = [c for c in table["cells"] if c["row"] == table["header_rows"]]
    values = {c["col"]: c["value"] for c in body}
    assert values[3] == "1974-03-03"
    assert isinstance(values[7], float | int)
    assert all("value" not in c for c in table["cells"] if c["row"] < table["header_rows"])


def test_a_settled_cell_tells_what_was_read_and_who_settled_it(
    demo_desk: Desk, tmp_path: Path
) -> None:
    table = demo_desk.tables()[0]
    cell = table.cells[table.grid.cols * table.header_rows + 1]
    demo_desk.replace(cell, "Settled by hand")
    told = next(c for c in first_table(demo_desk, tmp_path)["cells"] if c["id"] == str(cell.id))
    (record,) = (r for r in demo_desk.docket.history() if r.subject == cell.id)
    assert (told["text"], told["read"]) == ("Settled by hand", cell.reading.text)
    assert told["settled"] == {
        "by_hand": True,
        "as_printed": False,
        "who": record.who,
        "at": record.at,
    }


def test_the_history_tells_of_its_own_file_alone(demo_desk: Desk, tmp_path: Path) -> None:
    first, last = demo_desk.tables()[0], demo_desk.tables()[-1]
    assert first.source_name != last.source_name
    demo_desk.replace(first.cells[3], "one")
    demo_desk.undo()
    demo_desk.replace(last.cells[3], "other")
    by_name = {d["source"]["name"]: d["history"] for d in send(demo_desk, tmp_path)}
    (own,), (other,) = by_name[first.source_name], by_name[last.source_name]
    assert (own["after"], own["undone"], own["of"]) == ("one", True, str(first.cells[3].id))
    assert (other["after"], other["undone"]) == ("other", False)


def test_a_tidied_table_leads_back_to_its_cells(demo_desk: Desk, tmp_path: Path) -> None:
    state = demo_desk.tables()[0]
    demo_desk.set_steps(state, tidy_table(state).take_all())
    table = first_table(demo_desk, tmp_path)
    tidied, texts = table["tidied"], {c["id"]: c["text"] for c in table["cells"]}
    assert all(step["says"] and step["step"] for step in tidied["steps"])
    names = [c["name"] for c in tidied["columns"]]
    assert names[:4] == ["Vessel", "Reg.", "Berth", "In"]
    row = tidied["rows"][0]
    assert row["values"][3] == "1974-03-03"
    assert row["page"] == state.page_number
    (source,) = row["cells"][0]
    assert texts[source] == row["texts"][0]
    demo_desk.send(tmp_path / "out.xlsx")
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx").worksheets[0]
    shown = [c.value for c in sheet[2]]
    assert [v for v in row["values"] if isinstance(v, float | int)] == [
        v for v in shown if isinstance(v, float | int)
    ]


def test_a_joined_table_names_the_one_that_it_went_into(demo_desk: Desk, tmp_path: Path) -> None:
    tables = demo_desk.tables()
    pairs = [(a, b) for a in tables for b in tables if a.id < b.id and a.grid.cols == b.grid.cols]
    first, other = pairs[0]
    demo_desk.set_steps(first, tidy_table(first, tables).join_table(other))
    told = [t for d in send(demo_desk, tmp_path) for p in d["pages"] for t in p["tables"]]
    by_id = {int(t["id"]): t for t in told}
    assert by_id[other.id]["goes_on_in"] == str(first.id)
    assert {r["page"] for r in by_id[first.id]["tidied"]["rows"]} == {
        first.page_number,
        other.page_number,
    }


def test_values_keep_all_their_decimals() -> None:
    sent = typed(ROWS, NAMES, KINDS)
    told = json.loads(encode_document({"columns": list(each_value(sent))}), parse_float=str)
    assert [own[0] for own in told["columns"]] == [
        "007",
        1284,
        "12.50",
        "3.20",
        "0.125",
        "1974-03-03",
        "08:15:00",
        "P1DT9000S",
        "yes",
        "=1+1",
    ]
