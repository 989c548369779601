"""Fetches manuals, or prints parts of them: ``python -m training.manuals fetch|list|render``."""

from __future__ import annotations

import argparse

import cv2

from training.manuals.pages import render
from training.manuals.sources import SOURCES
from training.roles import write_pages

parser = argparse.ArgumentParser(description=__doc__)
parser.add_argument("action", choices=("fetch", "list", "render"))
parser.add_argument("first", type=int, nargs="?", default=0)
parser.add_argument("last", type=int, nargs="?", default=40)
parser.add_argument("--source", choices=[s.name for s in SOURCES], default="packages")
parser.add_argument("--ink", type=float, default=0.5)

if __name__ == "__main__":
    args = parser.parse_args()
    source = next(s for s in SOURCES if s.name == args.source)
    if args.action == "fetch":
        source.fetch()
    elif args.action == "list":
        source.list_files()
    else:
        cv2.setNumThreads(1)
        for seed in range(args.first, args.last):
            write_pages(f"manual-{source.name}{seed:04d}", render(source, seed, ink_share=args.ink))
