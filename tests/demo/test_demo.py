from __future__ import annotations

import json
from decimal import Decimal

import msgspec
import numpy as np
import pytest
from PIL import Image

from demo.ledgers import (
    berth_dues,
    buoy_inspections,
    buoy_parts,
    cargo_tally,
    pilotage_rota,
    stores_log,
    tide_register,
)
from keel_line.desk.work import PageRequest, process_page
from keel_line.model.reading import Reading
from synth.pages import TableContent
from tests.conftest import DEMO_PAGES, ROOT


def rows(content: TableContent) -> list[list[str]]:
    out = [[""] * len(content.widths_in) for _ in range(content.rows)]
    for cell in content.cells:
        out[cell.row][cell.col] = cell.text
    return out


def number(text: str) -> Decimal:
    return Decimal(text.replace(",", ""))


def test_the_ledger_adds_up() -> None:
    _, *calls, total = rows(berth_dues())
    for row in calls:
        assert number(row[6]) * int(row[5]) == number(row[7])
    assert sum(number(r[7]) for r in calls) == number(total[7])
    assert sum(int(r[5]) for r in calls) == int(total[5])


def test_the_parts_add_up() -> None:
    _, *parts, total = rows(buoy_parts())
    for row in parts:
        assert int(row[2]) * number(row[3]) == number(row[4])
    assert sum(number(r[4]) for r in parts) == number(total[4])


@pytest.mark.parametrize("quarter", [1, 2])
def test_the_stores_log_is_carried_forward_and_adds_up(quarter: int) -> None:
    first, second = (rows(content) for content in stores_log(quarter))
    assert first[0] == second[0]
    assert first[-1][1] == "Carried forward"
    assert second[1][1] == "Brought forward"
    carried = sum(number(r[4]) for r in first[1:-1])
    assert carried == number(first[-1][4]) == number(second[1][4])
    assert carried + sum(number(r[4]) for r in second[2:-1]) == number(second[-1][4])


def test_the_tally_tells_what_is_short() -> None:
    for row in rows(cargo_tally())[2:]:
        assert number(row[1]) - number(row[5]) == number(row[6])


@pytest.mark.parametrize("make", [berth_dues, buoy_inspections, buoy_parts, cargo_tally])
def test_cells_fill_their_table_without_overlap(make: object) -> None:
    assert callable(make)
    content = make()
    covered = np.zeros((content.rows, len(content.widths_in)), int)
    for cell in content.cells:
        covered[cell.row : cell.row + cell.row_span, cell.col : cell.col + cell.col_span] += 1
    assert (covered == 1).all()


def test_the_kept_truth_is_that_of_the_data() -> None:
    truth = json.loads((ROOT / "demo" / "truth.json").read_text(encoding="utf-8"))
    drawn = {
        "1-berth-dues-ledger.jpg": [berth_dues()],
        "2-buoy-inspections.png": [buoy_inspections(), buoy_parts()],
        "3-cargo-tally-fax.tif": [cargo_tally()],
        "4-tide-register-photo.jpg": [tide_register()],
    }
    assert truth.pop("5-pilotage-rota.pdf") == {"rows": pilotage_rota()}
    for page, content in zip(truth["6-stores-log.tif"]["pages"], stores_log(1), strict=True):
        truth[str(page)] = page
        drawn[str(page)] = [content]
    del truth["6-stores-log.tif"]
    assert truth.keys() == drawn.keys()
    for name, contents in drawn.items():
        for table, content in zip(truth[name]["tables"], contents, strict=True):
            kept = {(c["row"], c["col"]): c["text"] for c in table["cells"]}
            assert kept == {(c.row, c.col): c.text for c in content.cells}


def test_the_fax_is_what_a_fax_machine_sends() -> None:
    with Image.open(DEMO_PAGES / "3-cargo-tally-fax.tif") as image:
        assert image.mode == "1"
        assert image.info["compression"] == "group4"
        assert [round(float(d)) for d in image.info["dpi"]] == [204, 196]


def test_the_rota_adds_up() -> None:
    _, *duties, total = pilotage_rota()
    assert sum(number(row[7]) for row in duties) == number(total[7])


def test_the_rota_is_read_from_the_files_own_text() -> None:
    path = DEMO_PAGES / "5-pilotage-rota.pdf"
    found = process_page(PageRequest(1, path.name, path.read_bytes(), 1)).finding
    assert found is not None
    assert found.state.kind == "text"
    (table,) = found.tables
    texts = [msgspec.json.decode(e, type=Reading).text for e in table.evidence]
    assert texts == [text for row in pilotage_rota() for text in row]
    assert table.caption == "Table 2. Pilotage rota, 1 to 7 April 1985"
    assert table.notes == "* in training; boards with a second pilot"
