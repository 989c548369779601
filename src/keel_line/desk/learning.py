"""Learning from settled cells: a pair of shapes that is confirmed often is doubted less.

Within a table the same print has the same pairs of shapes: where the clerk has found the reading
right each time that two characters were in question, the next of them is likelier right; the more
so of a mark that stands alone in the cells of one column, a dash for nil, which is one print. What
was corrected is offered for the same shape elsewhere; it is never set by itself. (What it says of
cells that were read alike: :mod:`keel_line.desk.misreadings`.)
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass

from keel_line._shared.texts import Pair, differ_in, is_lone_mark
from keel_line.model.table import CellState

WEAK = 0.9
"""Characters less likely than this are in question."""

LEAST_SEEN = 3
"""Fewer settled cells of a topic say nothing."""

_PRIOR = 4.0
# With this none of the 306 marks was wrong that 45 made tables did not ask about any more.
_MARK_PRIOR = 0.15
_LEAST_PUT_RIGHT = 2


@dataclass(frozen=True)
class Topic:
    """A kind of doubt that settled cells teach about.

    Attributes
    ----------
    signs
        The two characters that are in question; of a mark that stands alone its text only.
    column
        The column of a mark that stands alone; None of other readings.
    """

    signs: tuple[str, ...]
    column: int | None = None


@dataclass(frozen=True)
class Lessons:
    """How often readings proved right and wrong, by topic."""

    right: Counter[Topic]
    wrong: Counter[Topic]

    def apply_lessons(self, topic: Topic, confidence: float) -> float:
        """Raise a confidence (0 to 1) by what was learnt of its topic; never lower it.

        The model's own chance of an error counts as a few cells that were looked at (a beta
        prior); fewer than three cells seen say nothing.
        """
        right, wrong = self.right[topic], self.wrong[topic]
        if right + wrong < LEAST_SEEN:
            return confidence
        prior = _PRIOR if topic.column is None else _MARK_PRIOR
        chance = (wrong + prior * (1.0 - confidence)) / (right + wrong + prior)
        return max(confidence, 1.0 - chance)


def pair_in_question(state: CellState) -> Pair | None:
    """Return the pair of characters in question in a cell, if nothing else is."""
    reading = state.reading
    if not reading.text or reading.unread or not reading.runners_up:
        return None
    if sum(c.probability < WEAK for c in reading.chars) > 1:
        return None
    return differ_in(reading.text, reading.runners_up[0].text)


def topic_of(state: CellState) -> Topic | None:
    """Return the topic of a cell's doubt if other cells can teach it, else None.

    A mark that may be a letter or a figure instead is no like of the column's other marks.
    """
    reading = state.reading
    likeliest = [reading.text, *(r.text for r in reading.runners_up[:1])]
    alone = all(is_lone_mark(text) for text in likeliest)
    if alone and not reading.unread and state.cell.col_span == 1:
        return Topic((reading.text,), state.cell.col)
    pair = pair_in_question(state)
    return None if pair is None else Topic(pair)


def learn(cells: Iterable[CellState]) -> Lessons:
    """Learn from a table's settled cells."""
    right: Counter[Topic] = Counter()
    wrong: Counter[Topic] = Counter()
    for state in cells:
        if state.settled is None:
            continue
        topic = topic_of(state)
        if topic is not None:
            proved = right if state.settled.text == state.reading.text else wrong
            proved[topic] += 1
    return Lessons(right, wrong)


class Experience:
    """Corrections in a docket, counted as cells are settled and undone."""

    def __init__(self) -> None:
        self._before: dict[str, Counter[str]] = {}
        self._right: Counter[str] = Counter()
        self._wrong: Counter[Pair] = Counter()

    def add(self, state: CellState, times: int = 1) -> None:
        """Count a settled cell in (1) or out (-1); ignore other cells."""
        if state.settled is None:
            return
        said, read = state.settled.text, state.reading.text
        if said == read:
            for char in state.reading.chars:
                if char.probability < WEAK:
                    self._right[char.char] += times
            return
        self._before.setdefault(read, Counter())[said] += times
        pair = differ_in(read, said)
        if pair is not None:
            self._wrong[pair] += times

    def offer(self, state: CellState) -> list[str]:
        """Return values for a cell suggested by corrections elsewhere in the docket.

        The same reading that was corrected before; and the reading with its doubtful character
        taken for what the same character proved to be at least twice, and oftener than not.
        """
        text = state.reading.text
        if not text or state.settled is not None:
            return []
        known = self._before.get(text, Counter())
        offered = [said for said, many in known.most_common() if many > 0]
        for at, char in _doubtful(state):
            meant = [
                (many, other)
                for (read, other), many in self._wrong.items()
                if read == char and many >= _LEAST_PUT_RIGHT and many > self._right[char]
            ]
            offered += [
                text[:at] + other + text[at + 1 :] for _, other in sorted(meant, reverse=True)
            ]
        return [v for v in dict.fromkeys(offered) if v != text]


def _doubtful(state: CellState) -> list[tuple[int, str]]:
    """Return where in a reading of one line each doubtful character stands, and which it is."""
    reading = state.reading
    if "\n" in reading.text or "".join(c.char for c in reading.chars) != reading.text:
        return []
    return [(i, c.char) for i, c in enumerate(reading.chars) if c.probability < WEAK]
