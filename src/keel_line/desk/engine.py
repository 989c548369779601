"""What the window, the command line and scripts ask of single stations, by one door."""

from __future__ import annotations

from keel_line.check.drawn_sums import propose_addends, say_sum
from keel_line.gather.sources import ENDINGS
from keel_line.rule.area import clip_box, describe_area, find_in_area, parse_area, part_cells
from keel_line.rule.mend import (
    add_line,
    fill_box,
    join_cells,
    move_line,
    part_cell,
    remove_line,
)
from keel_line.send.safely import check_target
from keel_line.square.skew import LIMIT_DEG

__all__ = [
    "ENDINGS",
    "LIMIT_DEG",
    "add_line",
    "check_target",
    "clip_box",
    "describe_area",
    "fill_box",
    "find_in_area",
    "join_cells",
    "move_line",
    "parse_area",
    "part_cell",
    "part_cells",
    "propose_addends",
    "remove_line",
    "say_sum",
]
