"""Where manuals come from: packages of documentation, and the descriptions of packages.

What is fetched is kept in ``.cache``; nothing of it comes into the repository but names.
"""

from __future__ import annotations

import json
import re
import subprocess
import urllib.error
import urllib.request
import zlib
from collections.abc import Callable, Iterable
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from dataclasses import dataclass
from html import escape
from pathlib import Path

import numpy as np
from docutils.core import publish_parts
from lxml import etree
from markdown_it import MarkdownIt

from training.manuals.looks import choose
from training.manuals.markup import Manual, read_manual
from training.roles import CHARACTERS, MATERIAL

_PROCESSES, _FETCHERS, _HELD = 2, 8, 8
_MOST_STRANGE, _LEAST_SAID = 0.02, 300
_MOST_BYTES, _MOST_FILES = 800_000, 50
_ADDRESS = "https://pypi.org/pypi/{}/json"
_SECONDS = 60
_LATEX = frozenset({".tex", ".ltx", ".rnw"})
_TABULAR = re.compile(rb"begin\{(tabular|longtable)")
_CHUNK = re.compile(rb"<<.*?>>=.*?\n@|\\Sexpr\{[^}]*\}", re.DOTALL)  # code between the words
_SAFE = {
    "raw_enabled": False,
    "file_insertion_enabled": False,
    "report_level": 5,
    "halt_level": 5,
    "syntax_highlight": "none",
}
# Shares of pages around a table of at least and at most so many columns; 0: without a table.
_WIDTHS = (*[(4, 99)] * 7, *[(3, 3)] * 6, *[(2, 2)] * 3, *[(0, 0)] * 4)


@dataclass(frozen=True)
class Source:
    """A kind of manuals: its name, and what fetches one of them into a folder.

    Where ``apart``, each of a package's folders counts as much as another package: it has a
    document of another writer.
    """

    name: str
    fetch_one: Callable[[str, Path], None]
    apart: bool = False

    @property
    def folder(self) -> Path:
        """Return where it is kept: a folder for each name."""
        return MATERIAL.parent / "manuals" / self.name

    @property
    def names(self) -> list[str]:
        """Return the names of packages that are listed in the repository."""
        listed = Path(__file__).with_name(f"{self.name}.txt")
        return listed.read_text(encoding="utf-8").split()

    def fetch(self, names: Iterable[str] | None = None) -> None:
        """Fetch what is not there yet of ``names``, or of all that is listed."""
        self.folder.mkdir(parents=True, exist_ok=True)
        wanted = self.names if names is None else names
        left = [name for name in wanted if not (self.folder / name).exists()]
        with ThreadPoolExecutor(_FETCHERS) as pool:
            for _ in pool.map(self._fetch_whole, left):
                pass

    def _fetch_whole(self, name: str) -> None:
        beside = self.folder / f".part-{name}"
        beside.mkdir(exist_ok=True)
        self.fetch_one(name, beside)
        beside.rename(self.folder / name)

    def list_files(self) -> None:
        """Read some files of each package, and write down how wide their tables are."""
        folders = sorted(p for p in self.folder.iterdir() if p.is_dir() and p.name[0] != ".")
        with ProcessPoolExecutor(_PROCESSES) as pool:
            listed = list(pool.map(_list_folder, folders, chunksize=4))
        if self.apart:
            listed = [own for files in listed for own in _group_by_folder(files)]
        self._index.write_text(json.dumps(listed), encoding="utf-8")

    def load_listed(self, *, held: bool) -> Listed:
        """Load what :meth:`list_files` wrote: the packages to train on, or those held out."""
        listed = json.loads(self._index.read_text(encoding="utf-8"))
        return Listed(tuple(f for f in listed if f and self._is_held(next(iter(f))) == held))

    def _is_held(self, path: str) -> bool:
        return zlib.crc32(Path(path).relative_to(self.folder).parts[0].encode()) % _HELD == 0

    @property
    def _index(self) -> Path:
        return self.folder / "files.json"


@dataclass(frozen=True)
class Listed:
    """Files by package, and how many columns the widest table of each has."""

    packages: tuple[dict[str, int], ...]

    def choose(self, rng: np.random.Generator) -> Path | None:
        """Return a file by chance: of any package alike, those with wider tables more often."""
        least, most = choose(rng, *_WIDTHS)
        fitting = [
            [path for path, cols in files.items() if least <= cols <= most]
            for files in self.packages
        ]
        fitting = [files for files in fitting if files]
        return Path(choose(rng, *choose(rng, *fitting))) if fitting else None


def load_manual(path: Path) -> Manual | None:
    """Return what a file says; None if it says little, or in other letters."""
    data = path.read_bytes()
    if len(data) > _MOST_BYTES:
        return None
    try:
        manual = read_manual(data)
    except (etree.ParserError, ValueError, RecursionError):
        return None
    said = "".join(t for _, t in manual.texts)
    strange = sum(c not in CHARACTERS and not c.isspace() for c in said)
    return manual if len(said) > _LEAST_SAID and strange <= _MOST_STRANGE * len(said) else None


def _list_folder(folder: Path) -> dict[str, int]:
    files = [f for f in sorted(folder.rglob("*.htm*")) if f.is_file() and "00Index" not in f.name]
    np.random.default_rng(1).shuffle(files)  # type: ignore[arg-type]
    out = {}
    for path in files[:_MOST_FILES]:
        manual = load_manual(path)
        if manual is not None:
            out[str(path)] = max((t.cols for t in manual.tables), default=0)
    return out


def _group_by_folder(files: dict[str, int]) -> list[dict[str, int]]:
    out: dict[Path, dict[str, int]] = {}
    for path, cols in files.items():
        out.setdefault(Path(path).parent, {})[path] = cols
    return list(out.values())


def _fetch_package(name: str, folder: Path) -> None:
    """Fetch a Debian package, and keep its files of HTML."""
    subprocess.run(["apt-get", "download", "-q", name], cwd=folder, check=False)  # noqa: S603, S607
    for package in folder.glob("*.deb"):
        subprocess.run(["dpkg-deb", "--extract", package, folder], check=True)  # noqa: S603, S607
    for path in folder.rglob("*"):
        if path.is_file() and not path.name.endswith((".html", ".htm", ".xhtml")):
            path.unlink()


def _fetch_description(name: str, folder: Path) -> None:
    """Fetch how a package of PyPI describes itself, as HTML; nothing where it is gone."""
    try:
        with urllib.request.urlopen(_ADDRESS.format(name), timeout=_SECONDS) as answer:  # noqa: S310
            told = json.load(answer)["info"]
    except urllib.error.HTTPError:
        return
    text = told.get("description") or ""
    marked = told.get("description_content_type") or ""
    (folder / "description.html").write_text(to_html(text, marked), encoding="utf-8")


def _fetch_paper(name: str, folder: Path) -> None:
    """Fetch a Debian package, and keep its LaTeX documents with tables, as HTML."""
    subprocess.run(["apt-get", "download", "-q", name], cwd=folder, check=False)  # noqa: S603, S607
    for package in folder.glob("*.deb"):
        subprocess.run(["dpkg-deb", "--extract", package, folder], check=True)  # noqa: S603, S607
    for path in [p for p in folder.rglob("*") if p.is_file()]:
        if path.suffix.lower() in _LATEX:
            text = from_latex(path.read_bytes())
            if "<table" in text:
                path.with_suffix(".html").write_text(text, encoding="utf-8")
        if path.suffix != ".html":
            path.unlink()


def from_latex(data: bytes) -> str:
    """Return a LaTeX document with tables as HTML; empty for one without, or that is not read."""
    if not _TABULAR.search(data) or len(data) > _MOST_BYTES:
        return ""
    words = _CHUNK.sub(b"", data)
    try:
        done = subprocess.run(
            ["pandoc", "-f", "latex", "-t", "html"],  # noqa: S607
            input=words,
            capture_output=True,
            timeout=_SECONDS,
            check=True,
        )
    except (subprocess.CalledProcessError, subprocess.TimeoutExpired):
        return ""
    body = done.stdout.decode()
    return f"<html><head><meta charset='utf-8'></head><body>{body}</body></html>"


def to_html(text: str, marked: str) -> str:
    """Return a description as HTML; ``marked`` is the media type that its writer gave."""
    if "markdown" in marked:
        body = MarkdownIt("gfm-like", {"linkify": False}).render(text)
    elif "plain" in marked:
        body = f"<pre>{escape(text)}</pre>"
    else:
        body = publish_parts(text, writer="html5", settings_overrides=_SAFE)["html_body"]
    return f"<html><head><meta charset='utf-8'></head><body>{body}</body></html>"


SOURCES = (
    Source("packages", _fetch_package),
    Source("descriptions", _fetch_description),
    Source("papers", _fetch_paper, apart=True),
)
