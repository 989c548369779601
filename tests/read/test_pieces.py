"""Pieces of writing are read before it is known what they are."""

from __future__ import annotations

import numpy as np

from keel_line._shared.paper import flatten_light
from keel_line.gather.sources import load_page
from keel_line.read.network import Network
from keel_line.read.pieces import read_pieces
from keel_line.rule.writing import find_writing
from synth.pdf import write_pdf, write_words

SAID = ("Table 7. Dues of the boats", "Marigold", "1,284.50", "Notes: paid in May.")


def test_pieces_are_read_as_they_are_written() -> None:
    words = [write_words(text, 90, 700 - 40 * k, 12) for k, text in enumerate(SAID)]
    flat = flatten_light(load_page(write_pdf([words]), "page.pdf", 1).pixels)
    writing = find_writing(flat, 300.0, [])
    read = read_pieces(Network(threads=1), flat, writing.boxes, writing.cap_px)
    assert sorted(read) == sorted(SAID)


def test_blank_paper_and_slivers_say_nothing() -> None:
    paper = np.full((300, 300), 250, np.uint8)
    boxes = np.array([[50.0, 50.0, 200.0, 90.0], [299.9, 10.0, 300.0, 30.0]])
    assert read_pieces(Network(threads=1), paper, boxes, 30.0) == ["", ""]
    assert read_pieces(Network(threads=1), paper, boxes[:0], 30.0) == []
