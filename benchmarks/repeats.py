"""What a column's own values are worth: registers read with and without heeding them.

Also what becomes of cells that hold a mark alone (a dash for nil, a ditto mark), and of blank ones.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from benchmarks.answering import AnswerScore, add_answers, make_table
from benchmarks.measure import flat_text
from keel_line._shared.texts import is_lone_mark, write_plain
from keel_line.desk.plain import write_plainly
from keel_line.model.reading import Reading
from keel_line.read.confidence import Flagging, load_calibration, make_flagging
from keel_line.read.network import Network
from keel_line.read.reader import Reader
from synth.faces import load_faces
from synth.laying import lay, pair_texts
from synth.nils import make_nils
from synth.pages import MadePage
from synth.registers import make_register

CONDITIONS = ("office", "copy", "fax", "clean", "fax-coarse", "photo", "copy", "fax")
WAYS = ("each cell by itself", "with the column's values")
SIGHTS = ("as printed", "plain")
_SEED, _MARKS_SEED = 51907, 51913
_DIAL = 1.0


@dataclass
class RepeatScore:
    """Counts over cells of one kind: all, right, flagged, wrong and not flagged.

    ``lost`` are those that were read as nothing though they hold something.
    """

    cells: int = 0
    right: int = 0
    flagged: int = 0
    silent: int = 0
    lost: int = 0


def score_repeats(pages: int) -> tuple[list[dict[str, RepeatScore]], AnswerScore]:
    """Read registers of held-out faces in each of ``WAYS``; return the counts by kind of cell.

    Kinds are "text" for cells with letters or figures, "mark" and "blank". The last reader's doubts
    are answered truthfully, too.
    """
    network = Network()
    readers = [Reader(network, heed_values=heeding) for heeding in (False, True)]
    faces, alphabet = load_faces("held"), frozenset(network.recipe.alphabet)

    def make(rng: np.random.Generator, condition: str) -> MadePage:
        return make_register(rng, faces, alphabet, condition=condition, held=True)

    answers = AnswerScore()
    return _score(pages, _SEED, make, readers, answers=answers), answers


def score_marks(pages: int) -> list[dict[str, RepeatScore]]:
    """Read tables of held-out faces with columns of lone marks.

    Returns the counts by kind of cell, in each of ``SIGHTS``.
    """
    reader = Reader()
    faces, alphabet = load_faces("held"), frozenset(reader.network.recipe.alphabet)

    def make(rng: np.random.Generator, condition: str) -> MadePage:
        return make_nils(rng, faces, alphabet, condition=condition)

    return _score(pages, _MARKS_SEED, make, [reader], plainly=True)


def _score(
    pages: int,
    seed: int,
    make: Callable[[np.random.Generator, str], MadePage],
    readers: Sequence[Reader],
    *,
    plainly: bool = False,
    answers: AnswerScore | None = None,
) -> list[dict[str, RepeatScore]]:
    """Read made pages with each reader; pages whose grid was not found are left out.

    Returns each reader's counts; with ``plainly`` those with signs written plainly after them.
    In ``answers`` is counted what comes of answering the last reader's doubts.
    """
    flagging = make_flagging(load_calibration(), _DIAL)
    sights = len(SIGHTS) if plainly else 1
    scores = [
        {kind: RepeatScore() for kind in ("text", "mark", "blank")}
        for _ in range(sights * len(readers))
    ]
    for i in range(pages):
        page = make(np.random.default_rng([seed, i]), CONDITIONS[i % len(CONDITIONS)])
        squared, grids = lay(page)
        (texts,) = pair_texts(grids, page.tables) if len(grids) == 1 else (None,)
        if texts is None:
            continue  # a wrong grid is no fault of the reading
        readings: list[Reading] = []
        plain_texts = [write_plain(text) for text in texts]
        for reader, *own in zip(readers, *(scores[k::sights] for k in range(sights)), strict=True):
            (readings,) = reader.read_page(squared.pixels, squared.dpi, grids)
            _add_table(own[0], texts, readings, flagging)
            for score in own[1:]:
                _add_table(score, plain_texts, [write_plainly(r) for r in readings], flagging)
        if answers is not None:
            add_answers(answers, make_table(grids[0], readings, flagging), texts, flagging)
    return scores


def _add_table(
    scores: dict[str, RepeatScore],
    texts: Sequence[str],
    readings: Sequence[Reading],
    flagging: Flagging,
) -> None:
    cut = flagging.find_cut([r.confidence for r in readings])
    for written, reading in zip(texts, readings, strict=True):
        text, read = flat_text(written), flat_text(reading.text)
        score = scores["mark" if is_lone_mark(text) else "text" if text else "blank"]
        score.cells += 1
        score.right += read == text
        score.flagged += reading.confidence < cut
        score.silent += read != text and reading.confidence >= cut
        score.lost += bool(text) and not read
