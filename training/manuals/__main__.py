"""Fetches manuals, or prints parts of them: ``python -m training.manuals fetch|list|render|held``.

``held`` prints manuals that no training has seen, and keeps their PDFs beside the truth.
"""

from __future__ import annotations

import argparse
from pathlib import Path

import cv2

from training.manuals.pages import print_held, render
from training.manuals.sources import SOURCES
from training.roles import MATERIAL, write_pages

parser = argparse.ArgumentParser(description=__doc__)
parser.add_argument("action", choices=("fetch", "list", "render", "held"))
parser.add_argument("first", type=int, nargs="?", default=0)
parser.add_argument("last", type=int, nargs="?", default=40)
parser.add_argument("--source", choices=[s.name for s in SOURCES], default="packages")
parser.add_argument("--ink", type=float, default=0.5)
parser.add_argument("--out", type=Path, default=MATERIAL.parent / "held")

if __name__ == "__main__":
    args = parser.parse_args()
    source = next(s for s in SOURCES if s.name == args.source)
    if args.action == "fetch":
        source.fetch()
    elif args.action == "list":
        source.list_files()
    elif args.action == "held":
        args.out.mkdir(parents=True, exist_ok=True)
        for seed in range(args.first, args.last):
            print_held(source, seed, args.out)
    else:
        cv2.setNumThreads(1)
        for seed in range(args.first, args.last):
            write_pages(f"manual-{source.name}{seed:04d}", render(source, seed, ink_share=args.ink))
