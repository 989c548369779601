from __future__ import annotations

import json
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import jsonschema
import numpy as np
import openpyxl
import pytest
from click.testing import CliRunner
from PIL import Image

from keel_line import cli
from keel_line.cli import main
from keel_line.desk.desk import Desk
from keel_line.desk.jigs import Shelf
from keel_line.desk.tidying import keep_as_jig, tidy_table
from keel_line.send.document import SCHEMA_FILE
from keel_line.send.sent import SendOptions
from synth.pdf import draw_line, write_pdf, write_words
from tests.conftest import as_png, draw_page, make_content
from tests.remembering import RememberingExecutor


class Inline(RememberingExecutor):
    """Works in this process, where no test is about the workers; reads a page once."""

    def __init__(self, workers: int | None = None) -> None:
        del workers


@pytest.fixture(autouse=True)
def _inline(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(cli, "WorkerPool", Inline)


def keel_line(*words: str | Path) -> tuple[int, str, bytes]:
    """Run the command line; return (exit code, standard error, standard output)."""
    result = CliRunner().invoke(main, [str(w) for w in words])
    return result.exit_code, result.stderr, result.stdout_bytes


def test_scan_becomes_a_workbook(scan_file: Path, tmp_path: Path) -> None:
    code, err, out = keel_line("convert", scan_file, "-o", tmp_path / "out.xlsx")
    assert (code, err, out) == (0, "", b"")
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx")["scan"]
    assert [c.value for c in sheet[1]] == ["Head a", "Head b", "Head c", "Head d"]
    assert sheet.max_row == 6


def test_a_folder_is_converted_as_a_whole(scan_bytes: bytes, tmp_path: Path) -> None:
    folder = tmp_path / "scans"
    folder.mkdir()
    (folder / "page 1.png").write_bytes(scan_bytes)
    (folder / "notes.txt").write_text("no scan")
    code, err, _ = keel_line("convert", folder, "-o", tmp_path / "out.xlsx")
    assert (code, err) == (0, "")
    assert openpyxl.load_workbook(tmp_path / "out.xlsx").sheetnames == ["page 1", "Source"]
    (tmp_path / "none").mkdir()
    code, err, _ = keel_line("convert", tmp_path / "none", "-o", tmp_path / "none.xlsx")
    assert code == 1
    assert "The folder none holds no pictures or PDFs." in err


@pytest.mark.parametrize("turns", [1, 2, 3])
def test_a_scan_on_its_side_or_head_comes_upright(turns: int, tmp_path: Path) -> None:
    grey = np.ascontiguousarray(np.rot90(draw_page(make_content()).grey, turns))
    path = tmp_path / "scan.png"
    Image.fromarray(grey).save(path, dpi=(200, 200))
    code, err, _ = keel_line("convert", path, "-o", tmp_path / "out.xlsx")
    assert (code, err) == (0, "")
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx")["scan"]
    assert [c.value for c in sheet[1]] == ["Head a", "Head b", "Head c", "Head d"]


def test_a_page_that_will_read_badly_says_so(tmp_path: Path) -> None:
    small = draw_page(make_content(), dpi=200)
    tiny = Image.fromarray(small.grey).resize((390, 360), Image.Resampling.BOX)
    tiny.save(tmp_path / "tiny.png", dpi=(60, 60))
    _, err, _ = keel_line("convert", tmp_path / "tiny.png", "-o", tmp_path / "out.csv")
    assert "px high" in " ".join(err.split())


@pytest.mark.parametrize(("plain", "wanted"), [(False, "1–2"), (True, "1-2")])
def test_dashes_are_written_plainly_where_that_is_asked_for(
    tmp_path: Path, wanted: str, *, plain: bool
) -> None:
    xs, ys = (80, 200, 320), (700, 670, 640, 610)
    rules = [draw_line(80, y, 320, y) for y in ys] + [draw_line(x, 700, x, 610) for x in xs]
    words = [
        write_words(text, x + 8, y - 20)
        for y, row in zip(
            ys[:3], (("Berths", "Keeper"), ("1–2", "Ruthven"), ("4–6", "Sorley")), strict=True
        )
        for x, text in zip(xs[:2], row, strict=True)
    ]
    path = tmp_path / "berths.pdf"
    path.write_bytes(write_pdf([[*rules, *words]]))
    asked = ["--plain-signs"] if plain else []
    code, err, _ = keel_line("convert", path, "-o", tmp_path / "out.xlsx", *asked)
    assert (code, err) == (0, "")
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx").worksheets[0]
    assert sheet["A2"].value == wanted


def test_json_goes_to_standard_output(scan_file: Path) -> None:
    code, _, out = keel_line("convert", scan_file, "-o", "-")
    document = json.loads(out)
    jsonschema.validate(document, json.loads(SCHEMA_FILE.read_text(encoding="utf-8")))
    assert code == 0
    assert document["source"]["name"] == "scan.png"
    assert document["pages"][0]["squaring"]["angle_deg"] == pytest.approx(1.5, abs=0.1)


def test_some_inputs_fail_and_the_others_are_done(scan_file: Path, tmp_path: Path) -> None:
    bad = tmp_path / "bad.png"
    bad.write_bytes(b"nothing")
    code, err, _ = keel_line(
        "convert", bad, scan_file, tmp_path / "none.png", "-o", tmp_path / "out.csv"
    )
    assert code == 1
    assert "bad.png" in err
    assert "none.png" in err
    assert (tmp_path / "out.csv").exists()


def test_nothing_usable_writes_nothing(tmp_path: Path) -> None:
    target = tmp_path / "out.xlsx"
    target.write_bytes(b"before")
    code, _, _ = keel_line("convert", tmp_path, "-o", target)
    assert code == 1
    assert target.read_bytes() == b"before"


def test_target_that_cannot_be_written(scan_file: Path, tmp_path: Path) -> None:
    code, err, _ = keel_line("convert", scan_file, "-o", tmp_path / "none" / "out.xlsx")
    assert code == 1
    assert "does not exist" in " ".join(err.split())


@pytest.mark.parametrize(
    "words",
    [
        ["convert"],
        ["convert", "a.png"],
        ["convert", "a.png", "-o", "out.doc"],
        ["convert", "a.png", "-o", "out.csv", "--unseen", "0"],
    ],
)
def test_wrong_use(words: list[str]) -> None:
    assert keel_line(*words)[0] == 2


def test_no_page_is_read_for_a_target_that_cannot_be(
    scan_file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(Desk, "run", lambda *_args, **_more: pytest.fail("a page was read"))
    code, err, _ = keel_line("convert", scan_file, "-o", tmp_path / "none" / "out.xlsx")
    assert code == 1
    assert "none does not exist" in " ".join(err.split())


def test_page_without_table_is_said(tmp_path: Path) -> None:
    Image.new("L", (600, 800), 255).save(tmp_path / "white.png", dpi=(100, 100))
    (tmp_path / "out.xlsx").write_bytes(b"of last week")
    code, err, _ = keel_line("convert", tmp_path / "white.png", "-o", tmp_path / "out.xlsx")
    assert code == 1
    assert "no table was found" in " ".join(err.split())
    assert (tmp_path / "out.xlsx").read_bytes() == b"of last week"
    code, _, out = keel_line("convert", tmp_path / "white.png", "-o", "-")
    assert code == 0
    assert json.loads(out)["pages"][0]["tables"] == []


def test_demo_without_a_display_converts(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    monkeypatch.chdir(tmp_path)
    code, _, out = keel_line("demo")
    assert code == 0
    assert (tmp_path / "keel-line-demo" / "Brannock Sound.xlsx").exists()
    assert "Brannock Sound.xlsx" in " ".join(out.decode().split())


def test_installed_command_answers() -> None:
    run = subprocess.run(
        [str(Path(sys.executable).with_name("keel-line")), "--version"],
        capture_output=True,
        text=True,
        check=True,
    )
    assert run.stdout.startswith("keel-line")


def test_pages_of_a_pdf_become_sheets(tmp_path: Path) -> None:
    pages = [Image.fromarray(draw_page(make_content(rows, 3), dpi=150).grey) for rows in (4, 6)]
    path = tmp_path / "two.pdf"
    pages[0].save(path, "PDF", save_all=True, append_images=pages[1:], resolution=150)
    code, err, _ = keel_line("convert", path, "-o", tmp_path / "out.xlsx", "--jobs", "1")
    assert (code, err) == (0, "")
    book = openpyxl.load_workbook(tmp_path / "out.xlsx")
    assert book.sheetnames == ["two 1, page 1", "two 2, page 2", "Source"]
    assert [book[name].max_row for name in book.sheetnames[:2]] == [4, 6]


def test_stricter_setting_flags_more(scan_file: Path) -> None:
    def flags(unseen: str) -> int:
        _, _, out = keel_line("convert", scan_file, "-o", "-", "--unseen", unseen)
        tables = json.loads(out)["pages"][0]["tables"]
        return sum(c["flagged"] for t in tables for c in t["cells"])

    assert flags("0.1") >= flags("100")


def test_several_inputs_make_a_json_each(scan_file: Path, tmp_path: Path) -> None:
    other = tmp_path / "other.png"
    other.write_bytes(scan_file.read_bytes() + b"x")
    code, _, _ = keel_line("convert", scan_file, other, "-o", tmp_path / "out.json", "--jobs", "1")
    assert code == 0
    assert sorted(p.name for p in tmp_path.glob("out*.json")) == ["out-other.json", "out-scan.json"]


def test_a_docket_is_compacted(tmp_path: Path, read_docket: Path) -> None:
    path = tmp_path / "dues.keel"
    path.write_bytes(read_docket.read_bytes())
    code, error, said = keel_line("compact", path)
    assert (code, error) == (0, "")
    assert b"MB before" in said
    desk = Desk(path)
    assert desk.docket.check() == "ok"
    assert desk.tables()
    desk.close()
    code, error, _ = keel_line("compact", tmp_path / "none.keel")
    assert code != 0


def test_tables_of_a_form_are_tidied_by_its_jig(tmp_path: Path, scan_file: Path) -> None:
    desk = Desk()
    desk.add_files([scan_file], RememberingExecutor())
    desk.run(RememberingExecutor())
    (table,) = desk.tables()
    kept = replace(table, steps=tidy_table(table).take_all().encoded)
    desk.set_send_options(SendOptions(source=False))
    jig = Shelf(tmp_path).keep(keep_as_jig("Dues", kept, 300.0, desk.writing))
    desk.close()
    code, error, _ = keel_line("convert", scan_file, "-o", tmp_path / "out.xlsx", "--jig", jig)
    assert (code, error) == (0, "")
    assert "Source" not in openpyxl.load_workbook(tmp_path / "out.xlsx").sheetnames
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx").active
    assert sheet.tables
    code, error, _ = keel_line(
        "convert", scan_file, "-o", tmp_path / "out.xlsx", "--jig", scan_file
    )
    assert code == 1
    assert "is no jig" in error


def test_a_jig_lends_its_lines_to_pages_of_its_form(tmp_path: Path, scan_file: Path) -> None:
    desk = Desk()
    desk.add_files([scan_file], RememberingExecutor())
    desk.run(RememberingExecutor())
    (table,), (page,) = desk.tables(), desk.pages()
    jig = Shelf(tmp_path).keep(keep_as_jig("Dues", table, page.dpi))
    desk.close()
    kept = json.loads(jig.read_text(encoding="utf-8"))
    x = kept["page"]["x"]
    kept["page"]["x"] = [*x[:-1], x[-1] - 2.0, x[-1]]  # the clerk drew one line more
    jig.write_text(json.dumps(kept), encoding="utf-8")
    again = draw_page(make_content(), angle_deg=-1.0, dpi=240.0)
    other = tmp_path / "other.png"
    other.write_bytes(as_png(again.grey, (240.0, 240.0)))
    code, error, _ = keel_line("convert", other, "-o", tmp_path / "out.json", "--jig", jig)
    assert (code, error) == (0, "")
    (made,) = json.loads((tmp_path / "out.json").read_bytes())["pages"][0]["tables"]
    assert (made["rows"], made["cols"]) == (table.grid.rows, table.grid.cols + 1)
    texts = {(c["row"], c["col"]): c["text"] for c in made["cells"]}
    assert texts[(0, 0)] == "Head a"
    assert texts[(1, 1)] == table.cells[5].text
