"""What all tests of made pages share."""

from __future__ import annotations

from collections.abc import Iterator

import pytest


@pytest.fixture(autouse=True, scope="session")
def without_word_lists() -> Iterator[None]:
    """Let two words stand in for the fetched word lists, which a fresh machine does not have."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("synth.text.load_words", lambda _package, *, held: ("harbour", "tide"))
        yield
