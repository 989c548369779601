from __future__ import annotations

import json
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest

from keel_line.desk.demo import demo_pages
from keel_line.desk.desk import Desk
from keel_line.desk.pool import InlineExecutor, WorkerPool
from keel_line.desk.work import PageRequest, process_page
from keel_line.docket.records import name_tables
from tests.conftest import ROOT, as_png


def test_demo_pages_against_their_truth(demo_desk: Desk) -> None:
    truth = json.loads((ROOT / "demo" / "truth.json").read_text(encoding="utf-8"))
    tables = demo_desk.tables()
    right = total = 0
    for page in demo_desk.pages():
        own = [t for t in tables if t.page_id == page.id]
        wanted = truth[page.source_name]
        wanted = wanted["pages"][page.number - 1] if "pages" in wanted else wanted
        if "rows" in wanted:  # its text is the file's own
            texts = [s.text for s in own[0].cells]
            assert texts == [text for row in wanted["rows"] for text in row]
            continue
        if page.corners:  # the sheet is cut out along its edges; what lean is left is small
            assert abs(page.angle_deg) < 0.5
        else:
            assert page.angle_deg == pytest.approx(wanted["angle_deg"], abs=0.1)
        assert page.turns == 0
        assert len(own) == len(wanted["tables"])
        for table, expected in zip(own, wanted["tables"], strict=True):
            assert table.header_rows == expected["header_rows"]
            found = {
                (s.cell.row, s.cell.col, s.cell.row_span, s.cell.col_span): s.text
                for s in table.cells
            }
            places = {
                (c["row"], c["col"], c["row_span"], c["col_span"]): c["text"]
                for c in expected["cells"]
            }
            assert found.keys() == places.keys()
            right += sum(found[k].split() == places[k].split() for k in places)
            total += len(places)
    assert right / total > 0.95


def test_blank_cells_are_blank(demo_desk: Desk) -> None:
    ledger = demo_desk.tables()[0]
    blanks = [s for s in ledger.cells if s.text == ""]
    assert {(s.cell.row, s.cell.col) for s in blanks} == {(3, 1), (9, 1), (13, 1), (18, 6)}


def test_bad_pages_are_marked_and_the_others_go_on(tmp_path: Path, scan_file: Path) -> None:
    bad = tmp_path / "letter.txt"
    bad.write_text("Dear sir", encoding="utf-8")
    cut = tmp_path / "cut.png"
    cut.write_bytes(scan_file.read_bytes()[:4000])
    (tmp_path / "none").mkdir()
    desk = Desk()
    notices = desk.add_files([bad, scan_file, cut, tmp_path / "none"])
    assert [n.trouble for n in notices] == [True, False, False, True]
    desk.run(InlineExecutor(), threads=2)
    assert [(p.source_name, p.progress) for p in desk.pages()] == [
        ("scan.png", "done"),
        ("cut.png", "failed"),
    ]
    assert [s.name for s in desk.sources() if s.trouble] == ["letter.txt", "none"]
    assert len(desk.tables()) == 1
    desk.close()


def test_same_bytes_come_in_once(scan_file: Path) -> None:
    desk = Desk()
    desk.add_files([scan_file])
    (notice,) = desk.add_files([scan_file])
    assert "already" in notice.text
    assert len(desk.pages()) == 1
    desk.close()


def test_cancel_keeps_what_is_done(tmp_path: Path, scan_bytes: bytes) -> None:
    files = []
    for i in range(4):
        files.append(tmp_path / f"{i}.png")
        files[-1].write_bytes(scan_bytes + bytes(i))
    desk = Desk()
    desk.add_files(files)
    seen: list[tuple[int, int]] = []
    desk.run(
        InlineExecutor(),
        threads=2,
        ahead=1,
        progress=lambda d, t: seen.append((d, t)),
        cancelled=lambda: len(seen) > 2,
    )
    assert seen == [(0, 4), (1, 4), (2, 4)]
    assert [p.progress for p in desk.pages()].count("done") == 2
    desk.run(InlineExecutor(), threads=2)
    assert all(p.progress == "done" for p in desk.pages())
    desk.close()


class Counting(Executor):
    """Counts how many requests lie in it at once."""

    def __init__(self) -> None:
        self.pool = ThreadPoolExecutor(1)
        self.inside = self.most = 0

    def submit(self, fn, /, *args, **kwargs):  # type: ignore[no-untyped-def, explicit-override]  # as Executor
        self.inside += 1
        self.most = max(self.most, self.inside)
        future: Future[object] = self.pool.submit(fn, *args, **kwargs)
        future.add_done_callback(self._leave)
        return future

    def _leave(self, _future: Future[object]) -> None:
        self.inside -= 1


def test_few_requests_lie_ahead(tmp_path: Path, scan_bytes: bytes) -> None:
    desk = Desk()
    for i in range(5):
        path = tmp_path / f"{i}.png"
        path.write_bytes(scan_bytes + bytes(i))
        desk.add_files([path])
    executor = Counting()
    desk.run(executor, ahead=2)
    executor.pool.shutdown()
    assert executor.most <= 3
    desk.close()


def test_worker_process_gives_the_same_as_this_one(scan_bytes: bytes) -> None:
    request = PageRequest(7, "scan.png", scan_bytes, 1)
    here = process_page(request, 1)
    with WorkerPool(1) as pool:
        there = pool.submit(process_page, request, 1).result()
    assert here.finding is not None
    assert there.finding is not None
    assert there.finding.tables == here.finding.tables
    assert there.finding.state == here.finding.state


def test_page_without_a_table(tmp_path: Path) -> None:
    plain = np.full((900, 700), 250, np.uint8)
    plain[200:204, 100:600] = 30
    response = process_page(PageRequest(1, "plain.png", as_png(plain), 1), 2)
    assert response.finding is not None
    assert response.finding.tables == ()


def test_flags_follow_the_setting(demo_desk: Desk) -> None:
    def flags() -> int:
        return sum(c.flagged for t in demo_desk.tables() for c in t.cells)

    demo_desk.set_tolerance(0.1)
    strict = flags()
    demo_desk.set_tolerance(100)
    assert flags() < strict
    assert demo_desk.unseen == 100


def test_expected_wrong_falls_as_cells_are_settled(demo_desk: Desk) -> None:
    demo_desk.set_tolerance(100)
    table = demo_desk.tables()[0]
    unflagged = [c for c in table.cells if not c.flagged]
    demo_desk.accept(unflagged[:30])
    assert demo_desk.tables()[0].expected_wrong < table.expected_wrong


def test_tables_are_named_after_their_titles(demo_desk: Desk) -> None:
    names = [t.name for t in demo_desk.tables()]
    assert names[:4] == [
        "Berth dues, March 1974",
        "Buoy inspections, spring round 2019",
        "Drawn from stores for the round",
        "Cargo tally, m.v. Corriemoor, 21 October 1988",
    ]
    assert names[6:] == [
        "Lamp oil and stores, first quarter",
        "Lamp oil and stores, first quarter, continued",
    ]
    assert [t.caption for t in demo_desk.tables()] == names


def test_tables_without_a_title_are_named_after_their_source() -> None:
    assert name_tables([("", "a.png", 1), ("", "b.tif", 1), ("", "b.tif", 2)]) == [
        "a",
        "b 1, page 1",
        "b 2, page 2",
    ]


def test_demo_pages_are_found() -> None:
    assert [p.name for p in demo_pages()] == [
        "1-berth-dues-ledger.jpg",
        "2-buoy-inspections.png",
        "3-cargo-tally-fax.tif",
        "4-tide-register-photo.jpg",
        "5-pilotage-rota.pdf",
        "6-stores-log.tif",
    ]
