"""Makes the press room's pages: ``python -m synth.press.make --split benchmark --pages 4``."""

from __future__ import annotations

import argparse
import gzip
import sys
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from synth.faces import FONT_DIR, load_faces
from synth.press.designs import (
    PAGES,
    Design,
    designs_of,
    make_document,
    rng_of,
    sample_design,
)
from synth.press.html import write_html
from synth.press.latex import write_latex
from synth.press.listing import write_listing
from synth.press.model import Document, walk_texts
from synth.press.office import write_spreadsheet, write_text_document
from synth.press.setting import (
    SettingError,
    print_html,
    set_latex,
    set_listing,
    set_office,
    set_troff,
    set_typst,
)
from synth.press.troff import write_troff
from synth.press.truth import PressPage, encode_pages, find_truth
from synth.press.typst import write_typst

PRESS_DIR = Path(__file__).resolve().parent.parent.parent / "benchmarks" / "press"
_MOST_TRIES = 5
_SAMPLED, _TOGETHER = 9911, 3


def _print(documents: Sequence[Document], *, tagged: bool) -> bytes:
    files: dict[str, Path] = {}
    for face in load_faces("train"):
        if not face.italic and not face.bold:
            files.setdefault(face.family, face.path)
    return print_html(write_html(documents, files, tagged=tagged))


def _list(documents: Sequence[Document], *, tagged: bool) -> bytes:
    plain = write_listing(documents, tagged=False)
    longest = max(len(line) for line in plain.splitlines())
    return set_listing(write_listing(documents, tagged=tagged), min(11.0, 510 / (0.6 * longest)))


PROGRAMS: dict[str, Callable[..., bytes]] = {
    "browser": _print,
    "typst": lambda d, *, tagged: set_typst(write_typst(d, tagged=tagged), FONT_DIR),
    "latex": lambda d, *, tagged: set_latex(write_latex(d, tagged=tagged)),
    "troff": lambda d, *, tagged: set_troff(write_troff(d, tagged=tagged)),
    "writer": lambda d, *, tagged: set_office(write_text_document(d, tagged=tagged), "fodt"),
    "calc": lambda d, *, tagged: set_office(write_spreadsheet(d, tagged=tagged), "fods"),
    "listing": _list,
}
"""What sets documents as one PDF, with tags or without."""


def set_design(design: Design, pages: int) -> tuple[bytes, list[PressPage], list[str]]:
    """Set some pages of a design; return the PDF, the truth of its pages, and what went wrong.

    Documents that do not stand whole on one page are made up again, a few times.
    """
    numbers = list(range(pages))
    trouble: list[str] = []
    for attempt in range(_MOST_TRIES):
        documents = [make_document(rng_of(design, n), design) for n in numbers]
        plain, tagged = (PROGRAMS[design.program](documents, tagged=t) for t in (False, True))
        found, wrong = find_truth(plain, tagged, documents)
        if len(found) == len(documents) or attempt == _MOST_TRIES - 1:
            return plain, found, trouble + wrong
        trouble += wrong
        # Their places are taken by others, so that every page of the PDF has a truth.
        good = _good(documents, found, numbers)
        numbers = [*good, *range(max(numbers) + 1, max(numbers) + 1 + pages - len(good))]
    raise AssertionError


def _good(documents: Sequence[Document], found: list[PressPage], numbers: list[int]) -> list[int]:
    """Return the numbers of the documents whose truth was found."""
    keys = {_key([t.text for t in p.texts]) for p in found}
    out = []
    for number, document in zip(numbers, documents, strict=True):
        texts = [i.text for i in walk_texts(document.blocks)]
        if _key(texts) in keys:
            out.append(number)
    return out


def _key(texts: list[str]) -> tuple[str, ...]:
    return tuple(texts)


def set_sampled(number: int) -> tuple[bytes, list[PressPage]]:
    """Set three pages of designs by chance with a program that no training page comes from.

    They are harder than what offices design. Their figures compare versions of the program.

    Raises
    ------
    SettingError
        When the program does not set them.
    """
    rng = np.random.default_rng([_SAMPLED, number])
    faces = tuple(sorted({f for d in designs_of("choose") for f in d.faces}))
    documents: list[Document] = []
    while len(documents) < _TOGETHER:
        design = sample_design(rng, faces)
        if design.page not in PAGES:
            continue
        f = design.features
        f = replace(f, among="" if f.among == "drawn" else f.among, stacked=0.0, formulas=0.0)
        design = replace(design, features=f, name=f"sample{number}")
        documents.append(make_document(rng, design))
    plain, tagged = (PROGRAMS["typst"](documents, tagged=t) for t in (False, True))
    return plain, find_truth(plain, tagged, documents)[0]


def keep_pages(folder: Path, name: str, pdf: bytes, pages: Sequence[PressPage]) -> None:
    """Keep a PDF beside the truth of its pages."""
    (folder / f"{name}.pdf").write_bytes(pdf)
    (folder / f"{name}.json.gz").write_bytes(gzip.compress(encode_pages(pages), mtime=0))


def main() -> None:
    """Make the pages of some designs and keep their PDFs beside their truth."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--split", default="benchmark", choices=("develop", "choose", "benchmark"))
    parser.add_argument("--pages", type=int, default=4)
    parser.add_argument("--program", default="")
    parser.add_argument("--out", type=Path, default=PRESS_DIR)
    parser.add_argument("--sampled", type=int, default=0, help="so many times three, by chance")
    args = parser.parse_args()
    args.out.mkdir(parents=True, exist_ok=True)
    for number in range(args.sampled):
        try:
            keep_pages(args.out, f"sample{number}", *set_sampled(number))
        except SettingError as error:
            sys.stdout.write(f"sample{number}: {str(error).splitlines()[-1]}\n")
    if args.sampled:
        return
    for design in designs_of(args.split):
        if args.program and design.program != args.program:
            continue
        pdf, pages, trouble = set_design(design, args.pages)
        keep_pages(args.out, design.name, pdf, pages)
        said = [f"{design.name}: {len(pages)} pages, {len(pdf) // 1024} KB", *trouble[:2]]
        sys.stdout.write("; ".join(said) + "\n")


if __name__ == "__main__":
    main()
