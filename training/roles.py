"""Train what finds tables among pieces of writing: ``python -m training.roles render|train``."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.bands import clear_bands
from keel_line._shared.paper import flatten_light
from keel_line.model.grid import Rule
from keel_line.model.page import Page, Resolution
from keel_line.read.network import Network
from keel_line.rule.pieces import measure_pieces, texts_of
from keel_line.rule.rules import find_rules, make_rule_field
from keel_line.rule.sideways import find_letters
from keel_line.rule.survey import find_pieces
from keel_line.rule.turned import gather_text
from keel_line.rule.writing import Writing
from synth.faces import load_faces
from synth.pages import Sheet, choose_style, finish_page, make_neighbours, make_page
from synth.press.designs import (
    designs_of,
    make_document,
    sample_design,
    sample_listed,
    sample_slip,
    sample_typed,
)
from synth.press.make import PROGRAMS
from synth.press.setting import SettingError
from synth.press.store import LoadedPage, load_pressed
from synth.press.truth import CellPlace, PressPage, TableGrid, TextTruth, find_truth
from synth.prose import KINDS as PROSE_KINDS
from synth.prose import write_prose

MATERIAL = Path(__file__).resolve().parent.parent / ".cache" / "role_pages"
JOINS = 1  # where among a piece's labels it stands whether its line goes on with the row before
ROLES = ("outside", "caption", "heading", "body", "note")
_OF_ROLE = {"caption": 1, "note": 4, "unknown": -1}
_BATCH = 50
_RULINGS = ("full", "across", "down", "heading", "outline", "none")
_LEVEL, _BESIDE_CAPS, _WHOLE = 0.4, 0.1, 0.8
_MISREAD, _REPLACED, _MISREAD_AS = 0.12, 0.5, "eco1l.,"
_ONE_WIDTH = ("Mono", "Code", "Courier", "Typewriter")
_NAMED, _TYPED, _LISTED = 0.2, 0.12, 0.12
CHARACTERS = frozenset(Network().recipe.alphabet)
DAMAGES = ("clean", "clean", "office", "copy", "fax", "fax-coarse", "photo")


def label_pieces(
    writing: Writing, near: NDArray[np.int64], truth: PressPage, loaded: LoadedPage
) -> NDArray[np.int64]:
    """Return each piece's labels, shape (n, 7), -1 where they say nothing.

    They are its role (what no text of the truth covers, such as a drawing, is outside); whether its
    line belongs to the table row of the line before; whether a table begins with it under another
    one; whether another table stands left of it; whether it spans columns; whether it stands in one
    cell with the piece left of it, and with the one above it.
    """
    lines, owner = [], []
    for number, text in enumerate(truth.texts):
        for x0, y0, x1, y1 in text.lines:
            corners = np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])
            moved = corners @ loaded.to_px[:, :2].T + loaded.to_px[:, 2]
            lines.append((*moved.min(axis=0), *moved.max(axis=0)))
            owner.append(number)
    places = np.array(lines, float).reshape(-1, 4)
    return label_placed(writing, near, truth, places, np.array(owner, np.int64))


def label_placed(
    writing: Writing,
    near: NDArray[np.int64],
    truth: PressPage,
    places: NDArray[np.float64],
    owner: NDArray[np.int64],
) -> NDArray[np.int64]:
    """Return the same where the lines of the truth's texts are known.

    ``places``, shape (n, 4), are their boxes (px), ``owner`` the numbers of their texts.
    """
    count = len(writing.boxes)
    out = np.full((count, 7), -1, np.int64)
    if not len(places):
        return out
    text_of = find_texts(writing, places, owner)
    known = text_of >= 0
    cells = {c.text: (k, c, t) for k, t in enumerate(truth.tables) for c in t.cells}
    numbers = np.array([cells[t][0] if t in cells else -1 for t in owner.tolist()])
    out[~known & _lie_outside(writing, places, numbers), 0] = 0
    table_of = np.full(count, -1)
    row_of = np.full(count, -1)
    for k in np.flatnonzero(known):
        number = int(text_of[k])
        if number not in cells:
            out[k, 0] = _OF_ROLE.get(truth.texts[number].role, 0)
            continue
        table_of[k], cell, table = cells[number]
        out[k, 0] = _role_of(cell, table)
        out[k, 4] = cell.col_span > 1
        if cell.row_span == 1:
            row_of[k] = cell.row
    for table in set(table_of.tolist()) - {-1}:
        own = np.flatnonzero(table_of == table)
        before: set[int] = set()
        for line in np.unique(writing.lines[own]):
            inside = own[writing.lines[own] == line]
            rows = set(row_of[inside].tolist()) - {-1}
            if before:  # what heads several rows goes on with the one before
                out[inside, JOINS] = bool(rows & before) or not rows
            before = rows or before
    for column, way in ((2, 0), (3, 2)):
        other = near[:, way]
        both = (table_of >= 0) & (other >= 0) & (table_of[other] >= 0)
        out[both, column] = table_of[both] != table_of[other[both]]
    for column, way in ((5, 2), (6, 0)):
        other = near[:, way]
        both = (table_of >= 0) & (other >= 0) & (table_of[other] == table_of)
        out[both, column] = text_of[both] == text_of[other[both]]
    return out


def find_texts(
    writing: Writing, places: NDArray[np.float64], owner: NDArray[np.int64]
) -> NDArray[np.int64]:
    """Return the number of the text that each piece shows, shape (n,), -1 where it shows none.

    ``places``, shape (m, 4), are the boxes (px) of texts' lines, ``owner`` the texts' numbers.
    """
    if not len(places):
        return np.full(len(writing.boxes), -1, np.int64)
    boxes = writing.boxes[:, None]
    wide = np.minimum(boxes[..., 2], places[:, 2]) - np.maximum(boxes[..., 0], places[:, 0])
    high = np.minimum(boxes[..., 3], places[:, 3]) - np.maximum(boxes[..., 1], places[:, 1])
    shared = np.clip(wide, 0, None) * np.clip(high, 0, None)
    return np.where(shared.max(axis=1) > 0, owner[shared.argmax(axis=1)], -1)


def _role_of(cell: CellPlace, table: TableGrid) -> int:
    """Return a cell's role: heading, body, or unknown."""
    if cell.row < table.header_rows:
        return 2
    return -1 if table.header_rows < 0 and cell.row == 0 else 3


def _lie_outside(
    writing: Writing, places: NDArray[np.float64], tables: NDArray[np.int64]
) -> NDArray[np.bool_]:
    """Return which pieces lie outside the tables; ``places`` are texts' lines, in ``tables``."""
    x0, y0, x1, y1 = writing.boxes.T
    out = np.ones(len(x0), bool)
    for number in set(tables.tolist()) - {-1}:
        own = places[tables == number]
        (left, top), (right, low) = own[:, :2].min(axis=0), own[:, 2:].max(axis=0)
        out &= ~((x0 < right) & (x1 > left) & (y0 < low) & (y1 > top))
    return out


KEPT = ("boxes", "lines", "cap", "letters", "rules", "across", "texts", "labels", "ink")
"""What is kept of a page."""


def keep_page(
    writing: Writing,
    rules: Sequence[Rule],
    texts: Sequence[str | None] | None,
    labels: NDArray[np.int64],
    *,
    ink: bool,
) -> dict[str, NDArray[Any]]:
    """Return what is kept of a page, so that its pieces can be measured again otherwise."""
    straight = [(r.start, r.end, r.at((r.start + r.end) / 2), r.thickness_px) for r in rules]
    return {
        "boxes": writing.boxes.astype(np.float32),
        "lines": writing.lines.astype(np.int32),
        "cap": np.array(writing.cap_px),
        "letters": writing.letters.astype(np.float32),
        "rules": np.array(straight, np.float32).reshape(-1, 4),
        "across": np.array([r.direction == "across" for r in rules], bool),
        "texts": np.array([t or "" for t in texts or ()], str),
        "labels": labels.astype(np.int8),
        "ink": np.array(ink),
    }


def load_page_kept(
    page: Mapping[str, NDArray[Any]],
) -> tuple[Writing, list[Rule], list[str | None] | None]:
    """Return a kept page's writing, its rules and what its pieces say."""
    writing = Writing(
        page["boxes"].astype(float),
        page["lines"].astype(np.int64),
        float(page["cap"]),
        page["letters"].astype(float),
    )
    rules = [
        Rule("across" if across else "down", start, end, at, 0.0, thick, 1.0)
        for across, (start, end, at, thick) in zip(
            page["across"].tolist(), page["rules"].tolist(), strict=True
        )
    ]
    return writing, rules, [t or None for t in page["texts"].tolist()] or None


def make_writing(page: Page) -> tuple[Writing, tuple[Rule, ...], list[str] | None]:
    """Return a page's writing, its rules, and what each piece says where the file tells."""
    if page.text is not None:
        writing = gather_text(page.text)
        return writing, page.text.rules, texts_of(writing, page.text)
    dpi = page.resolution.x_dpi
    flat = clear_bands(flatten_light(page.pixels), dpi)
    rules = find_rules(make_rule_field(flat, dpi))
    writing, every = find_pieces(flat, dpi, rules, find_letters(flat, dpi, rules))
    return writing, tuple(every), None


def as_square(loaded: LoadedPage) -> LoadedPage:
    """Return a page with one resolution across and down."""
    page = loaded.page
    res = page.resolution
    if res.x_dpi == res.y_dpi:
        return loaded
    by = res.x_dpi / res.y_dpi
    size = (page.pixels.shape[1], round(page.pixels.shape[0] * by))
    grey = np.asarray(cv2.resize(page.pixels, size, interpolation=cv2.INTER_LINEAR), np.uint8)
    return LoadedPage(
        replace(page, pixels=grey, resolution=Resolution(res.x_dpi, res.x_dpi)),
        np.diag([1.0, by]) @ loaded.to_px,
    )


def render_own(seed: int) -> Iterator[dict[str, NDArray[Any]]]:
    """Make pages with the project's own page maker, and yield what is kept of each."""
    rng = np.random.default_rng([733, seed])
    faces = load_faces("train")
    for k in range(_BATCH):
        own = np.random.default_rng([733, seed, k])
        ruling = _RULINGS[int(rng.integers(len(_RULINGS)))]
        condition = ("clean", "office", "copy", "fax", "photo")[int(rng.integers(5))]
        kind = rng.random()
        if kind < 0.15:
            sheet = Sheet(250.0)
            write_prose(sheet, choose_style(own, faces), own, PROSE_KINDS[k % 4])
            made = finish_page(sheet, own, condition=condition, angle_deg=0.0)
        elif kind < 0.4:
            made = make_neighbours(
                own,
                faces,
                CHARACTERS,
                beside=kind < 0.28,
                condition=condition,
                dpi=250.0,
                ruling=ruling,
            )
        else:
            made = make_page(
                own,
                faces,
                CHARACTERS,
                condition=condition,
                dpi=250.0,
                most_skew_deg=0,
                ruling=ruling,
            )
        page = Page(made.grey, Resolution(made.x_dpi, made.y_dpi), "page.png", 1, "scan")
        by = 72.0 / 250.0
        texts: list[TextTruth] = []
        tables = []
        for table in made.tables:
            cells = []
            for cell in table.cells:
                if cell.written is None:
                    continue
                box = tuple(float(v) * by for v in cell.written)
                cells.append(
                    CellPlace(
                        cell.row, cell.col, cell.row_span, cell.col_span, len(texts), free=False
                    )
                )
                texts.append(TextTruth("cell", cell.text, (box,)))  # type: ignore[arg-type]
            tables.append(TableGrid(table.rows, table.cols, table.header_rows, tuple(cells), -1))
        truth = PressPage("own", 0, (0.0, 0.0), tuple(texts), tuple(tables))
        scale = np.array([made.x_dpi / 72.0, made.y_dpi / 72.0])
        to_px = np.array([[scale[0], 0.0, 0.0], [0.0, scale[1], 0.0]])
        loaded = as_square(LoadedPage(page, to_px))
        writing, rules, said = make_writing(loaded.page)
        near = measure_pieces(writing, rules).near
        if not len(near):
            continue
        labels = label_pieces(writing, near, truth, loaded)
        if not tables:
            labels[:, 0] = 0
        yield keep_page(writing, rules, said, labels, ink=True)


def render(seed: int, *, ink_share: float, slips: float) -> Iterator[dict[str, NDArray[Any]]]:
    """Make a batch of pages by chance, and yield what is kept of each.

    ``slips`` is the share of small tables without rules.
    """
    rng = np.random.default_rng([731, seed])
    faces = tuple(sorted({f.family for f in load_faces("train")}))
    chosen = tuple(faces[int(k)] for k in rng.integers(len(faces), size=12))
    typewriters = tuple(f for f in faces if any(w in f for w in _ONE_WIDTH))
    named = designs_of("develop")
    documents = []
    for _ in range(_BATCH):
        design = sample_design(rng, chosen)
        kind = rng.random()
        if kind < _NAMED:
            design = named[int(rng.integers(len(named)))]
        elif kind < _NAMED + _TYPED:
            design = sample_typed(rng, typewriters)
        elif kind < _NAMED + _TYPED + _LISTED:
            design = sample_listed(rng, chosen)
        if rng.random() < slips:
            design = sample_slip(rng, chosen)
        documents.append(make_document(rng, design))
    try:
        plain, tagged = (PROGRAMS["browser"](documents, tagged=t) for t in (False, True))
    except SettingError as error:
        sys.stdout.write(f"{error}\n")
        return
    pages, _ = find_truth(plain, tagged, documents)
    yield from keep_printed(plain, pages, seed, ink_share)


def carry_texts(
    texts: Sequence[str],
    boxes: NDArray[np.float64],
    writing: Writing,
    rng: np.random.Generator,
) -> list[str | None]:
    """Return what pieces on paper say, by the pieces of the same page's file.

    Parameters
    ----------
    texts
        What the file's pieces say.
    boxes
        Where they stand on the paper (px), shape (n, 4).
    writing
        The paper's own pieces: a piece of the file may be several of them, or a part of one.
    rng
        Some letters are misread.
    """
    out: list[str | None] = []
    for x0, y0, x1, y1 in writing.boxes.tolist():
        high = np.minimum(boxes[:, 3], y1) - np.maximum(boxes[:, 1], y0)
        wide = np.minimum(boxes[:, 2], x1) - np.maximum(boxes[:, 0], x0)
        level = high > _LEVEL * np.minimum(boxes[:, 3] - boxes[:, 1], y1 - y0)
        own = np.flatnonzero(level & (wide > _BESIDE_CAPS * writing.cap_px))
        said = []
        for k in own[np.argsort(boxes[own, 0])].tolist():
            left, right = boxes[k, 0], boxes[k, 2]
            if wide[k] >= _WHOLE * (right - left):
                said.append(texts[k])
            else:
                said += _words_between(
                    texts[k], (x0 - left) / (right - left), (x1 - left) / (right - left)
                )
        out.append(_misread(" ".join(said), rng) or None)
    return out


def _words_between(text: str, first: float, last: float) -> list[str]:
    """Return the words of a text whose middles lie between two places, as shares of its width."""
    out, at = [], 0
    for word in text.split(" "):
        if first <= (at + len(word) / 2) / max(1, len(text)) <= last:
            out.append(word)
        at += len(word) + 1
    return out


def _misread(text: str, rng: np.random.Generator) -> str:
    if not text or rng.random() >= _MISREAD:
        return text
    at = int(rng.integers(len(text)))
    put = _MISREAD_AS[int(rng.integers(len(_MISREAD_AS)))] if rng.random() < _REPLACED else ""
    return text[:at] + put + text[at + 1 :]


def keep_printed(
    pdf: bytes, pages: Sequence[PressPage], seed: int, ink_share: float
) -> Iterator[dict[str, NDArray[Any]]]:
    """Yield what is kept of each page of a PDF, and of a share of them on paper."""
    rng = np.random.default_rng([743, seed])
    for page in pages:
        damages = ["digital"]
        if rng.random() < ink_share:
            damages.append(DAMAGES[int(rng.integers(len(DAMAGES)))])
        known: tuple[list[str], NDArray[np.float64]] | None = None  # texts, boxes in points
        for damage in damages:
            loaded = as_square(load_pressed(pdf, page, damage, seed, most_skew_deg=0.15))
            if damage == "digital" and loaded.page.text is None:
                continue
            writing, rules, said = make_writing(loaded.page)
            texts: list[str | None] | None = None
            if said is not None:
                texts, known = [*said], (said, _move_boxes(writing.boxes, loaded.to_px, back=True))
            elif known is not None:
                texts = carry_texts(known[0], _move_boxes(known[1], loaded.to_px), writing, rng)
            near = measure_pieces(writing, rules).near
            if not len(near):
                continue
            labels = label_pieces(writing, near, page, loaded)
            yield keep_page(writing, rules, texts, labels, ink=damage != "digital")


def _move_boxes(
    boxes: NDArray[np.float64], to_px: NDArray[np.float64], *, back: bool = False
) -> NDArray[np.float64]:
    """Return boxes in points moved to px, or ``back``; shape (n, 4), ``to_px`` (2, 3)."""
    turn = np.linalg.inv(to_px[:, :2]) if back else to_px[:, :2]
    shift = -turn @ to_px[:, 2] if back else to_px[:, 2]
    one, other = (boxes[:, k : k + 2] @ turn.T + shift for k in (0, 2))
    return np.hstack([np.minimum(one, other), np.maximum(one, other)])


def write_pages(name: str, pages: Iterable[dict[str, NDArray[Any]]]) -> None:
    """Keep pages as a file of the material, unless it is there already."""
    MATERIAL.mkdir(parents=True, exist_ok=True)
    path = MATERIAL / f"{name}.npz"
    if path.exists():
        return
    found = list(pages)
    arrays = {f"{k}_{n}": v for k, page in enumerate(found) for n, v in page.items()}
    beside = path.with_suffix(".part.npz")
    np.savez_compressed(beside, **arrays)  # type: ignore[arg-type]
    beside.rename(path)
    sys.stdout.write(f"{path.name}: {len(found)} pages\n")
    sys.stdout.flush()


def main() -> None:
    """Render material."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("first", type=int)
    parser.add_argument("last", type=int)
    parser.add_argument("--ink", type=float, default=0.3)
    parser.add_argument("--slips", type=float, default=0.1)
    parser.add_argument("--own", action="store_true", help="pages of our own page maker")
    args = parser.parse_args()
    cv2.setNumThreads(1)
    for seed in range(args.first, args.last):
        made = render_own(seed) if args.own else render(seed, ink_share=args.ink, slips=args.slips)
        write_pages(f"{seed:04d}", made)


if __name__ == "__main__":
    main()
