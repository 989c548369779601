"""What is done at Tidy is kept, undone, and follows what is corrected in Proof."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal

import pytest

from demo.ledgers import stores_log
from keel_line.desk.desk import Desk
from keel_line.desk.judge import findings_at
from keel_line.desk.tidying import MORE, MisfitError, Tidying, find_year, keep_as_jig, tidy_table
from keel_line.model.table import TableState
from tests.conftest import ROOT
from tests.remembering import RememberingExecutor


def berth_dues(desk: Desk) -> TableState:
    return next(t for t in desk.tables() if t.name.startswith("Berth dues"))


def names(tidying: Tidying) -> list[str]:
    return [c.name for c in tidying.table.columns]


def test_all_suggestions_are_taken_kept_and_undone(demo_desk: Desk) -> None:
    table = berth_dues(demo_desk)
    before = tidy_table(table)
    assert before.say_rows() == "18 rows from page 1"
    assert before.trail.steps == ()
    demo_desk.set_steps(table, before.take_all())
    after = tidy_table(berth_dues(demo_desk))
    assert names(after) == ["Vessel", "Reg.", "Berth", "In", "Out", "Days", "Rate £", "Dues £"]
    assert [d.type.say() for d in after.types] == [
        "text",
        "code",
        "code",
        "date of 1974",
        "date of 1974",
        "whole number",
        "money £",
        "money £",
    ]
    assert after.suggestions == []
    assert after.say_rows() == "17 rows from page 1"
    (record,) = [r for r in demo_desk.history() if r.kind == "steps"]
    assert str(record.reason).startswith("step: headings to names; ")
    assert demo_desk.undo() is not None
    assert tidy_table(berth_dues(demo_desk)).trail == before.trail
    assert demo_desk.redo() is not None
    assert names(tidy_table(berth_dues(demo_desk))) == names(after)


def test_a_late_correction_flows_through(demo_desk: Desk) -> None:
    table = berth_dues(demo_desk)
    demo_desk.set_steps(table, tidy_table(table).take_all())
    tidying = tidy_table(berth_dues(demo_desk))
    cell = tidying.find_cell(0, 7)
    assert cell is not None
    demo_desk.replace(demo_desk.cell(cell), "999.99")
    again = tidy_table(berth_dues(demo_desk))
    assert again.table.columns[7].texts[0] == "999.99"
    demo_desk.replace(demo_desk.cell(cell), "see note")
    again = tidy_table(berth_dues(demo_desk))
    assert again.find_misfits(7) == [0]
    assert again.table.columns[7].texts[0] == "see note"  # never emptied


def test_what_does_not_fit_the_type_that_was_set_is_a_doubt(demo_desk: Desk) -> None:
    table = berth_dues(demo_desk)
    vessel = next(s for s in table.cells if s.cell.row == 2 and s.cell.col == 0)
    demo_desk.set_steps(table, tidy_table(table).set_type(0, "date"))
    doubted = demo_desk.cell(vessel.id)
    assert not doubted.in_doubt  # one cell is not judged by itself
    (state,) = [s for s in berth_dues(demo_desk).cells if s.id == vessel.id]
    assert state.in_doubt
    (said,) = [f.says for f in findings_at(berth_dues(demo_desk), state) if f.kind == "type"]
    assert said == "The column's type is date of 1974; this does not fit."
    demo_desk.accept([state])
    (settled,) = [s for s in berth_dues(demo_desk).cells if s.id == vessel.id]
    assert not settled.in_doubt
    demo_desk.undo()
    demo_desk.undo()
    (free,) = [s for s in berth_dues(demo_desk).cells if s.id == vessel.id]
    assert not free.in_doubt


def test_steps_come_back_when_the_page_is_read_again(demo_desk: Desk) -> None:
    table = berth_dues(demo_desk)
    demo_desk.set_steps(table, tidy_table(table).take_all())
    path = demo_desk.docket.path
    demo_desk.close()
    again = Desk(path)
    assert len(tidy_table(berth_dues(again)).trail.steps) == 6
    again.close()


def test_columns_and_rows_are_changed_one_by_one(demo_desk: Desk) -> None:
    table = berth_dues(demo_desk)

    def after(*changes: str) -> Tidying:
        tidying = tidy_table(replace(table, steps=tidy_table(table).take(0).encoded))
        for change in changes:
            made = getattr(tidying, change.split()[0])(
                *(int(a) if a.lstrip("-").isdigit() else a for a in change.split()[1:])
            )
            tidying = tidy_table(replace(table, steps=made.encoded))
        return tidying

    assert names(after("rename 0 Ship"))[0] == "Ship"
    assert names(after("move_column 0 1"))[:2] == ["Reg.", "Vessel"]
    assert names(after("move_column 7 -1"))[-2:] == ["Dues £", "Rate £"]
    assert names(after("move_column 6 1"))[-2:] == ["Dues £", "Rate £"]
    assert names(after("join 1"))[1] == "Reg. Berth"
    assert "Vessel" not in names(after("drop_column 0"))
    rising = after("sort 5").table.columns[5].texts
    assert list(rising[:3]) == ["1", "1", "1"]
    falling = after("sort 5", "sort 5")
    assert falling.table.columns[5].texts[0] == "98"  # the total
    assert len(falling.trail.steps) == 2  # the direction of one step was turned
    typed = after("set_type 5 decimal")
    assert (typed.types[5].type.kind, typed.types[5].certain) == ("decimal", True)
    gone = after("switch 0")
    assert names(gone)[0] == ""
    assert after("switch 0", "switch 0").table.columns[0].name == "Vessel"
    assert after("drop_step 0").trail.steps == ()
    with pytest.raises(MisfitError, match="Type a name"):
        after().derive("{Days} × 2")
    with pytest.raises(MisfitError, match="no column to its right"):
        after().join(7)


@pytest.mark.parametrize("what", MORE)
def test_each_of_what_else_can_be_done_is_done_or_says_why_not(what: str, demo_desk: Desk) -> None:
    table = berth_dues(demo_desk)
    tidying = tidy_table(replace(table, steps=tidy_table(table).take(0).encoded))
    done, said = 0, []
    for col in range(8):
        try:
            change = tidying.do(what, 3, col)
        except MisfitError as error:
            said.append(str(error))
            continue
        (*_, taken) = tidy_table(replace(table, steps=change.encoded)).taken
        assert not taken.misfit
        done += 1
    assert all(words.endswith(".") for words in said)
    hard = {"Titles across the table into a column", "This column's values into columns"}
    assert done or what in hard or what.startswith("Put ")


def test_formulas_are_completed_and_checked_while_they_are_typed(demo_desk: Desk) -> None:
    table = berth_dues(demo_desk)
    tidying = tidy_table(replace(table, steps=tidy_table(table).take_all().encoded))
    assert tidying.complete_formula("Stay = {ou") == "Stay = {Out}"
    assert tidying.complete_formula("Stay = {Out} − {xyz") == "Stay = {Out} − {xyz"
    assert tidying.complete_formula("Stay = {Days} rou") == "Stay = {Days} rounded "
    assert tidying.complete_formula("Stay = ") == "Stay = "
    assert tidying.check_formula("Stay = {Out} − {In}") == ""
    assert "No value in 17 rows; row 1: Nothing can be divided" in tidying.check_formula(
        "Share = {Days} ÷ 0"
    )
    made = tidy_table(replace(table, steps=tidying.derive("Stay = {Out} − {In}").encoded))
    assert made.table.columns[-1].texts[0] == made.table.columns[5].texts[0] == "12"
    values = made.plots[8]
    assert values[0] == 12
    assert made.ends(8, values) == ("1", "24")


def test_the_last_of_a_table_is_not_taken_away(demo_desk: Desk) -> None:
    tidying = tidy_table(berth_dues(demo_desk))
    with pytest.raises(MisfitError, match="Nothing would be left"):
        tidying.drop_rows(range(1, 19))


def test_damaged_steps_leave_the_table_as_it_was_read(demo_desk: Desk) -> None:
    table = replace(berth_dues(demo_desk), steps='{"steps": [{"step": "open file"}]}')
    assert tidy_table(table).trail.steps == ()


@pytest.mark.parametrize(
    ("caption", "source", "year"),
    [
        ("Berth dues, March 1974", "scan 2019.png", 1974),
        ("", "tides-1962.png", 1962),
        ("From 1973 to 1974", "scan.png", 0),
        ("Page 12345", "20190304.png", 0),
    ],
)
def test_the_year_that_the_paper_speaks_of(
    caption: str, source: str, year: int, demo_desk: Desk
) -> None:
    table = replace(
        berth_dues(demo_desk), caption=caption, name=caption, notes="", source_name=source
    )
    assert find_year(table) == year


def test_the_stores_log_is_typed_and_joined_by_one_key_and_the_next_quarter_too(
    demo_desk: Desk,
) -> None:
    tables = demo_desk.tables()
    first = next(t for t in tables if "stores" in t.name and "Drawn" not in t.name)
    done = replace(first, steps=tidy_table(first, tables).take_all().encoded)
    made = tidy_table(done, tables)
    assert made.suggestions == []
    assert made.say_rows() == "20 rows from pages 1, 2"
    assert made.seam_troubles == []
    both = zip(made.table.columns, made.types, strict=True)
    assert [(c.name, d.type.say()) for c, d in both] == [
        ("1931", "date of 1931"),
        ("Item", "text"),
        ("Drawn", "whole number"),
        ("Drawn unit", "text"),
        ("For", "text"),
        ("Cost £", "money £"),
    ]
    texts = [t for content in stores_log(1) for t in content.cells]
    costs = [c.text for c in texts if c.col == 4 and c.row]
    carried, brought, total = costs[12], costs[13], costs[-1]
    assert carried == brought
    assert sum(Decimal(t) for t in made.table.columns[-1].texts) == Decimal(total)

    jig = keep_as_jig("Stores log", done, 300.0)
    later = Desk()
    later.add_files([ROOT / "demo" / "next" / "stores-log-second-quarter.tif"])
    later.run(RememberingExecutor())
    tables = later.tables()
    ready = tidy_table(tables[0], tables, [jig])
    assert ready.suggestions[0].words == "As Stores log: 8 steps"
    one = replace(tables[0], steps=ready.take_all().encoded)
    again = tidy_table(one, tables, [jig])
    assert again.say_rows() == "15 rows from pages 1, 2"
    assert [c.name for c in again.table.columns] == [c.name for c in made.table.columns]
    assert again.suggestions == []
