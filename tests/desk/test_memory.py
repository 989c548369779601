"""The search for cycles is put off while tables are loaded, and goes on after."""

from __future__ import annotations

import gc

import pytest

from keel_line._shared.memory import collection_paused, freeze_objects


def test_the_search_is_off_inside_and_on_again_after() -> None:
    assert gc.isenabled()
    with collection_paused():
        assert not gc.isenabled()
        with collection_paused():
            assert not gc.isenabled()
        assert not gc.isenabled()
    assert gc.isenabled()


def test_it_goes_on_after_a_failure() -> None:
    with pytest.raises(ValueError, match="broken"), collection_paused():
        raise ValueError("broken")
    assert gc.isenabled()


def test_what_is_set_aside_is_not_searched() -> None:
    kept = [{"cell": i} for i in range(50)]
    before = gc.get_freeze_count()
    freeze_objects()
    assert gc.get_freeze_count() >= before + len(kept)
    gc.unfreeze()
