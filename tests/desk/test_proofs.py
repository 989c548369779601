"""Tables, counts and doubts stay true whatever pages come, go or are settled."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from random import Random

import pytest

from keel_line.desk.desk import Desk
from keel_line.desk.proofs import Proofs
from keel_line.desk.tally import Tally, count_table
from keel_line.gather.sources import Source
from keel_line.model.page import REMOVED, SquareChoice
from keel_line.model.reason import TYPED
from tests.docket.paper import PaperReader

PAGES = 5


@pytest.fixture
def desk() -> Iterator[Desk]:
    desk = Desk(None)
    desk.add_source(Source("volume 1.pdf", b"1", "1", PAGES - 1))
    desk.add_source(Source("volume 2.pdf", b"2", "2", 1))
    desk.run(PaperReader())
    yield desk
    desk.close()


def make_proofs(desk: Desk) -> Proofs:
    return Proofs(desk, lambda *_: None, lambda: None)


def assert_true(proofs: Proofs) -> None:
    """Compare all that is kept up to date with what the docket holds."""
    tables = proofs.desk.tables()
    assert [t.id for t in proofs.tables] == [t.id for t in tables]
    assert [t.name for t in proofs.tables] == [t.name for t in tables]
    assert [[c.text for c in t.cells] for t in proofs.tables] == [
        [c.text for c in t.cells] for t in tables
    ]
    total = Tally()
    for index, table in enumerate(proofs.tables):
        counted = count_table(table)
        assert replace(proofs.tallies[index], wrong=0.0) == replace(counted, wrong=0.0)
        assert proofs.tallies[index].wrong == pytest.approx(counted.wrong)
        total.add_all(counted)
        assert proofs.index_of(table.id) == index
        assert index in proofs.indexes_on(table.page_id)
        for place, state in enumerate(table.cells):
            assert proofs.find_cell(state.id) == (index, place)
    assert replace(proofs.total, wrong=0.0) == replace(total, wrong=0.0)
    assert proofs.total.wrong == pytest.approx(total.wrong)
    doubts = [
        (t, c)
        for t, table in enumerate(proofs.tables)
        for c, s in enumerate(table.cells)
        if s.in_doubt
    ]
    assert sorted(proofs.doubts.listed()) == doubts


@pytest.mark.parametrize("seed", range(4))
def test_pages_may_be_opened_in_any_order(desk: Desk, seed: int) -> None:
    proofs = make_proofs(desk)
    waiting = proofs.begin()
    assert waiting == [p.id for p in desk.pages()]
    assert not proofs.tables
    Random(seed).shuffle(waiting)
    for page_id in waiting:
        proofs.open_page(page_id)
        own = proofs.indexes_on(page_id)
        assert [proofs.tables[i].page_id for i in own] == [page_id]
    assert_true(proofs)


def test_a_page_that_is_read_again_or_removed_changes_what_it_brings(desk: Desk) -> None:
    proofs = make_proofs(desk)
    pages = proofs.begin()
    for page_id in pages:
        proofs.open_page(page_id)
    desk.replace(proofs.tables[1].cells[7], "41", TYPED)
    proofs.renew_cells([proofs.tables[1].cells[7].id])
    assert_true(proofs)
    assert proofs.total.settled == 1
    proofs.take_page(pages[1])
    assert_true(proofs)
    desk.docket.choose([(pages[1], SquareChoice(part=REMOVED))], "clerk", TYPED)
    proofs.take_page(pages[1])
    assert_true(proofs)
    assert proofs.total.tables == PAGES - 1
    assert not proofs.indexes_on(pages[1])


def test_what_was_corrected_on_a_later_page_is_known_when_the_first_is_opened(desk: Desk) -> None:
    last = desk.tables()[-1]
    desk.replace(last.cells[7], "wrong", TYPED)
    assert [c for c, _ in desk.docket.settled_cells()] == [last.grid.cols]
    (state,) = [s for _, s in desk.docket.settled_cells()]
    assert (state.id, state.text) == (last.cells[7].id, "wrong")


def test_pages_whose_counts_changed_are_told(desk: Desk) -> None:
    proofs = make_proofs(desk)
    for page_id in proofs.begin():
        proofs.open_page(page_id)
    proofs.changed_pages.clear()
    state = proofs.tables[2].cells[3]
    desk.accept([state])
    proofs.renew_cells([state.id])
    assert proofs.changed_pages == {proofs.tables[2].page_id}
    assert proofs.count_page(proofs.tables[2].page_id).settled == 1


def test_a_page_without_tables_has_no_counts(desk: Desk) -> None:
    proofs = make_proofs(desk)
    assert proofs.count_page(99) == Tally()
    assert proofs.tables_on(99) == []
