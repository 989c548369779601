from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from synth.faces import CATALOGUE
from synth.paper import fax, photocopy, scan
from synth.scoring import edit_distance
from synth.text import make_code, make_date, make_number
from tests.conftest import draw_page, make_content


def test_no_family_is_in_two_splits() -> None:
    splits: dict[str, set[str]] = {}
    for family in CATALOGUE:
        splits.setdefault(family.name, set()).add(family.split)
    assert all(len(s) == 1 for s in splits.values())
    held = [f for f in CATALOGUE if f.split == "held"]
    assert len(held) >= 8
    assert {"typewriter", "narrow"} <= {f.kind for f in held}
    assert len({f.name for f in CATALOGUE}) >= 80


@pytest.mark.parametrize("make", [make_number, make_date, make_code])
def test_texts_follow_from_the_seed(make: object) -> None:
    assert callable(make)
    a, b = ([make(np.random.default_rng(9)) for _ in range(40)] for _ in range(2))
    assert a == b
    rng = np.random.default_rng(9)
    assert len({make(rng) for _ in range(200)}) > 100


@given(st.text(max_size=8), st.text(max_size=8))
def test_edit_distance_is_a_distance(a: str, b: str) -> None:
    assert edit_distance(a, b) == edit_distance(b, a)
    assert (edit_distance(a, b) == 0) == (a == b)
    assert abs(len(a) - len(b)) <= edit_distance(a, b) <= max(len(a), len(b))


def test_fax_is_black_and_white_with_its_own_resolution() -> None:
    grey = np.full((300, 300), 255, np.uint8)
    grey[100:200, 100:200] = 0
    out = fax(grey, np.random.default_rng(1), dpi=300, fine=False)
    assert set(np.unique(out)) <= {0, 255}
    assert out.shape == (98, 204)


@pytest.mark.parametrize("machine", [scan, photocopy])
def test_machines_keep_the_picture(machine: object) -> None:
    assert callable(machine)
    grey = np.full((200, 200), 255, np.uint8)
    grey[50:150, 50:150] = 0
    out = machine(grey, np.random.default_rng(1))
    assert out.shape == grey.shape
    assert out[80:120, 80:120].mean() < 110 < out[:30].mean()


def test_truth_boxes_frame_the_drawn_cells() -> None:
    made = draw_page(make_content())
    for cell in made.tables[0].cells:
        x0, y0, x1, y1 = (round(v) for v in cell.box)
        inner = made.grey[y0 + 5 : y1 - 4, x0 + 5 : x1 - 4]
        assert (inner < 128).any() == bool(cell.text)
