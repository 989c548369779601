"""Fetch the catalogue's faces and the word lists into ``.cache`` without installing anything.

Run as ``python -m synth.fetch``. Needs ``apt-get``, ``dpkg-deb`` and ``npm``.
"""

from __future__ import annotations

import json
import logging
import shutil
import subprocess
import tarfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from fontTools.ttLib import TTFont
from PIL import ImageFont

from synth.faces import CATALOGUE, FONT_DIR, INDEX_FILE, Family
from synth.text import WORD_DIR, WORD_PACKAGES

log = logging.getLogger(__name__)


def _run(command: list[str], cwd: Path) -> None:
    subprocess.run(command, cwd=cwd, check=True, capture_output=True)  # noqa: S603 - fixed words


def _fetch_deb(name: str, into: Path) -> None:
    target = into / f"deb-{name}"
    if target.exists():
        return
    work = into / f"part-{name}"
    shutil.rmtree(work, ignore_errors=True)
    work.mkdir(parents=True)
    _run(["apt-get", "download", "-q", name], work)
    (package,) = work.glob("*.deb")
    _run(["dpkg-deb", "-x", package.name, "tree"], work)
    (work / "tree").rename(target)
    shutil.rmtree(work)


def _fetch_npm(name: str, into: Path) -> None:
    target = into / f"npm-{name.rpartition('/')[2]}"
    if target.exists():
        return
    work = into / f"part-{name.rpartition('/')[2]}"
    shutil.rmtree(work, ignore_errors=True)
    work.mkdir(parents=True)
    _run(["npm", "pack", "--silent", name], work)
    (package,) = work.glob("*.tgz")
    with tarfile.open(package) as tar:
        tar.extractall(work / "tree", filter="data")
    (work / "tree").rename(target)
    shutil.rmtree(work)


def _fetch(package: str) -> None:
    kind, _, name = package.partition(":")
    log.info("fetching %s", name)
    if kind == "deb":
        _fetch_deb(name, FONT_DIR)
    else:
        _fetch_npm(name, FONT_DIR)


def _draws(font: ImageFont.FreeTypeFont, char: str) -> bool:
    """Tell whether a face draws a character: ink of its own, and no letter on the line for º or ª.

    Some faces map a sign to an empty outline, or an ordinal's to the letter it is made from.
    """
    if char == " ":
        return True
    try:
        drawn = font.getmask(char)
    except RuntimeError:  # marks that cannot be laid out by themselves
        return False
    if drawn.getbbox() is None:
        return False
    letter = {"º": "o", "ª": "a"}.get(char)
    return letter is None or bytes(drawn) != bytes(font.getmask(letter))


def _describe(path: Path, family: Family) -> dict[str, object] | None:
    """Read what a font file can draw; None where it is no usable upright Latin face."""
    with TTFont(path, fontNumber=0) as font:
        codes = font.getBestCmap() or {}
    em = 200
    font = ImageFont.truetype(str(path), em)
    small = ImageFont.truetype(str(path), 40)
    chars = "".join(chr(c) for c in sorted(codes) if 32 <= c < 0x2800 and _draws(small, chr(c)))
    if not set("AZaz09.,") <= set(chars):
        return None
    top, bottom = font.getbbox("H", anchor="ls")[1::2]
    stem = path.stem.lower().replace(" ", "")
    return {
        "family": family.name,
        "kind": family.kind,
        "split": family.split,
        "path": str(path.relative_to(FONT_DIR)),
        "chars": chars,
        "cap_ratio": (bottom - top) / em,
        "bold": "bold" in stem or "700" in stem or stem.endswith(("75f", "77f", "rb")),
        "italic": any(mark in stem for mark in ("italic", "oblique", "56f")) or stem.endswith("ri"),
    }


def _files(family: Family) -> list[Path]:
    kind, _, name = family.package.partition(":")
    root = FONT_DIR / f"{kind}-{name.rpartition('/')[2]}"
    found: dict[str, Path] = {}
    for pattern in family.files:
        for path in sorted(root.rglob(pattern)):
            found.setdefault(path.name, path)
    return list(found.values())


def fetch_all() -> None:
    """Fetch every face and word list and write the index of what each face can draw."""
    FONT_DIR.mkdir(parents=True, exist_ok=True)
    WORD_DIR.mkdir(parents=True, exist_ok=True)
    packages = sorted({family.package for family in CATALOGUE})
    with ThreadPoolExecutor(8) as pool:
        list(pool.map(_fetch, packages))
        list(pool.map(lambda name: _fetch_deb(name, WORD_DIR), WORD_PACKAGES))
    records = []
    for family in CATALOGUE:
        described = [_describe(path, family) for path in _files(family)]
        kept = [d for d in described if d is not None]
        if not kept:
            log.warning("no usable face in %s (%s)", family.name, family.package)
        records.extend(kept)
    INDEX_FILE.write_text(json.dumps(records), encoding="utf-8")
    log.info("%d faces of %d families", len(records), len({r["family"] for r in records}))


if __name__ == "__main__":
    logging.basicConfig(level=logging.INFO, format="%(message)s")
    fetch_all()
