"""Measures pages, for models that are fitted to what the program finds on them."""

from __future__ import annotations

import argparse
import pickle
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TypeVar

import cv2

from benchmarks.workers import open_workers
from synth.press.store import LoadedPage, each_page, load_pressed
from synth.press.truth import PressPage

_PAPERS = (("clean",), ("copy",), ("clean",), ("fax", "fax-coarse"), ("photo",), ("office",))
FILE_AND_PAPER = tuple(("digital", *papers) for papers in _PAPERS)
"""Each page as its file has it, and on one paper by turns; faxes as coarse ones, too."""
KEPT = Path(__file__).resolve().parent.parent / ".cache"
_SEED = 9119
Job = tuple[bytes, PressPage, str]
T = TypeVar("T")


def load_job(job: Job) -> tuple[LoadedPage, PressPage]:
    """Return a page as it is to be measured, and its truth."""
    cv2.setNumThreads(1)
    data, truth, damage = job
    return load_pressed(data, truth, damage, _SEED), truth


def measure_folders(
    measure: Callable[[Job], T],
    folders: Sequence[Path],
    turns: Sequence[Sequence[str]] = FILE_AND_PAPER,
) -> list[T]:
    """Measure each page of some folders with each damage of a turn; pages take the turns in order.

    Without ``turns`` they are those of ``FILE_AND_PAPER``.
    """
    jobs = [
        (data, truth, damage)
        for folder in folders
        for k, (data, truth) in enumerate(each_page(folder))
        for damage in turns[k % len(turns)]
    ]
    with open_workers() as pool:
        return list(pool.map(measure, jobs, chunksize=4))


def keep_measured(name: str, measure: Callable[[], list[T]], *, again: bool) -> list[T]:
    """Measure and keep it under a name; where it is to be used ``again``, return what was kept."""
    path = KEPT / f"{name}.pickle"
    if again and path.exists():
        kept: list[T] = pickle.loads(path.read_bytes())  # noqa: S301 - our own file
        return kept
    measured = measure()
    path.write_bytes(pickle.dumps(measured))
    return measured


def take_arguments(description: str | None, model: Path) -> argparse.Namespace:
    """Return what a fit's command line says: ``folders``, ``office``, ``again`` and ``out``."""
    parser = argparse.ArgumentParser(description=description)
    parser.add_argument("folders", type=Path, nargs="*")
    parser.add_argument("--office", type=Path, action="append", default=[])
    parser.add_argument("--again", action="store_true", help="with what was measured last")
    parser.add_argument("--out", type=Path, default=model)
    return parser.parse_args()


def measure_kinds(name: str, measure: Callable[..., T], args: argparse.Namespace) -> list[T]:
    """Measure the folders of a command line; ``measure`` is told which pages are of offices.

    What was measured is kept under a name; see :func:`keep_measured`.
    """
    return keep_measured(
        name,
        lambda: [
            page
            for office, folders in ((False, args.folders), (True, args.office))
            for page in measure_folders(partial(measure, office=office), folders)
        ],
        again=args.again,
    )
