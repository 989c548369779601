"""Finding a text in everything that was read."""

from __future__ import annotations

import shutil
import sqlite3
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line._shared.pulse import listening
from keel_line._shared.texts import fold_text
from keel_line.desk.desk import Desk
from keel_line.desk.find import find_anywhere
from keel_line.errors import StoppedError


def test_a_name_is_found_in_every_docket_with_its_place(read_docket: Path, tmp_path: Path) -> None:
    other = tmp_path / "Other.keel"
    shutil.copy(read_docket, other)
    found = find_anywhere("marigold", [read_docket, other])
    assert {p.docket for p in found.places} == {read_docket, other}
    assert found.dockets == 2
    desk = Desk(other)
    tables = {t.name: t for t in desk.tables()}
    for place in (p for p in found.places if p.docket == other and p.cell is not None):
        state = next(c for c in tables[place.table].cells if c.id == place.cell)
        assert "marigold" in state.text.casefold()
        assert place.text == state.text
        assert place.row == state.cell.row + 1
        assert place.page == tables[place.table].page_id
    desk.close()


def test_what_the_clerk_typed_is_found_and_what_was_read_there_is_not(
    read_docket: Path, tmp_path: Path
) -> None:
    own = tmp_path / "Own.keel"
    shutil.copy(read_docket, own)
    desk = Desk(own)
    cell = next(c for t in desk.tables() for c in t.cells if c.text == "Marigold")
    desk.replace(cell, "Sea Campion 4,711.50")
    # While it is open for writing.
    (place,) = find_anywhere("campion 4711.5", [own]).places
    assert (place.cell, place.text) == (cell.id, "Sea Campion 4,711.50")
    assert cell.id not in {p.cell for p in find_anywhere("marigold", [own]).places}
    desk.close()


def test_every_word_must_be_there(read_docket: Path) -> None:
    words = find_anywhere("berth dues", [read_docket]).places
    assert words
    assert not find_anywhere("berth zebra", [read_docket]).places
    assert not find_anywhere("   ", [read_docket]).places


def test_names_of_tables_are_found_without_a_cell(read_docket: Path) -> None:
    named = [p for p in find_anywhere("berth dues", [read_docket]).places if p.cell is None]
    assert named
    assert all(p.text == p.table and p.row == 0 for p in named)


def test_no_more_are_told_than_asked(read_docket: Path) -> None:
    few = find_anywhere("a", [read_docket], most=5)
    assert len(few.places) == 5
    assert few.more
    every = find_anywhere("a", [read_docket], most=100_000)
    assert not every.more
    assert every.places[:5] == few.places


def test_a_docket_that_cannot_be_read_is_told_and_the_others_are_searched(
    read_docket: Path, tmp_path: Path
) -> None:
    bad, cut = tmp_path / "bad.keel", tmp_path / "cut.keel"
    bad.write_bytes(b"nothing of the kind" * 100)
    shutil.copy(read_docket, cut)
    with sqlite3.connect(cut) as db:
        db.execute("UPDATE cell SET evidence = '{' WHERE id % 2")
    db.close()
    found = find_anywhere("marigold", [bad, tmp_path / "gone.keel", cut, read_docket])
    assert len(found.closed) == 2
    assert "bad.keel" in found.closed[0]
    assert "gone.keel" in found.closed[1]
    assert not (tmp_path / "gone.keel").exists()
    assert read_docket in {p.docket for p in found.places}


def test_it_stops_when_it_is_told_to(read_docket: Path) -> None:
    def stop() -> None:
        raise StoppedError("enough")

    with listening(stop), pytest.raises(StoppedError):
        find_anywhere("marigold", [read_docket])


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("1,284.50", "1284.50"),
        ("12'000", "12000"),
        ("Café  Noir", "cafe noir"),
        ("STRASSE", "straße"),
        ("N\u2013S", "n-s"),
    ],
)
def test_what_a_clerk_would_call_the_same_is_the_same(one: str, other: str) -> None:
    assert fold_text(one) == fold_text(other)


@given(st.text(max_size=30))
def test_folding_twice_changes_nothing(text: str) -> None:
    once = fold_text(text)
    assert fold_text(once) == once
    assert fold_text(text.upper()) == fold_text(text.upper().lower())


def test_commas_that_are_no_thousands_stay() -> None:
    assert fold_text("1,5") != fold_text("15")
    assert fold_text("12, 14") == "12, 14"
