"""What columns of manuals mean is compared with what was judged by eye."""

from __future__ import annotations

import pytest

pytest.importorskip("docutils")

from keel_line._shared.column_types import KINDS, ColumnType, Decided
from training.manuals.kinds import Judged, load_judged, say_lines, take_column
from training.manuals.markup import read_manual

TABLE = b"""<html><body><table>
<tr><th>Vessel</th><th colspan=2>Dues</th></tr><tr><th></th><th>Rate</th><th>Sum</th></tr>
<tr><td>Wren</td><td>18.40</td><td>2</td></tr><tr><td>Tern</td><td></td><td>3</td></tr>
</table></body></html>"""


def test_a_column_is_taken_with_all_levels_of_its_heading() -> None:
    manual = read_manual(TABLE)
    assert take_column(manual, 0, 1) == ("Dues / Rate", ["18.40", ""])
    assert take_column(manual, 0, 2) == ("Dues / Sum", ["2", "3"])


def test_what_is_judged_is_of_known_kinds() -> None:
    judged = load_judged()
    assert len(judged) > 150
    assert {k for j in judged for k in j.kinds} <= set(KINDS)


def test_a_wrong_value_without_a_doubt_is_counted() -> None:
    text = Judged("packages", "a", 0, 0, ("text",), 0)
    found = [
        (text, Decided(ColumnType("text"))),
        (text, Decided(ColumnType("code"))),
        (text, Decided(ColumnType("decimal"))),
        (text, Decided(ColumnType("decimal"), certain=False)),
    ]
    assert say_lines(found)[-1] == "| 4 | 25.0% | 1 | 2 | 1 |"
