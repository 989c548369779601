"""What was measured is kept, and used again where that is asked for."""

from __future__ import annotations

from pathlib import Path

import pytest

from training.measuring import keep_measured


def test_what_was_measured_is_used_again_only_when_asked(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("training.measuring.KEPT", tmp_path)
    assert keep_measured("ends", lambda: [1], again=True) == [1]  # nothing is kept yet
    assert keep_measured("ends", lambda: [2], again=True) == [1]
    assert keep_measured("ends", lambda: [3], again=False) == [3]
    assert keep_measured("spaces", lambda: [4], again=True) == [4]
    assert keep_measured("ends", lambda: [5], again=True) == [3]
