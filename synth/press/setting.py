"""Runs the programs that set pages: source in, PDF out."""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from pathlib import Path

_TIMEOUT_S = 240


class SettingError(Exception):
    """A program that sets pages is missing or failed."""


def run_program(command: Sequence[str | Path], folder: Path, stdin: bytes | None = None) -> bytes:
    """Run a program in a folder and return its standard output.

    Raises
    ------
    SettingError
        When it is missing, takes too long or fails.
    """
    if shutil.which(str(command[0])) is None:
        raise SettingError(f"{command[0]} is missing. Run tools/press_programs.sh first.")
    try:
        done = subprocess.run(  # noqa: S603 - our own commands
            [str(c) for c in command],
            cwd=folder,
            input=stdin,
            capture_output=True,
            timeout=_TIMEOUT_S,
            check=False,
        )
    except subprocess.TimeoutExpired as error:
        raise SettingError(f"{command[0]} took too long.") from error
    if done.returncode:
        said = (done.stderr or done.stdout)[-800:].decode(errors="replace")
        raise SettingError(f"{command[0]} failed: {said}")
    return done.stdout


def print_html(source: str) -> bytes:
    """Print HTML with a headless browser; return the PDF."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "page.html").write_text(source, encoding="utf-8")
        browser = "chromium"
        run_program(
            (
                browser,
                "--headless",
                "--no-sandbox",
                "--disable-gpu",
                f"--user-data-dir={folder / 'profile'}",
                "--no-pdf-header-footer",
                "--print-to-pdf=page.pdf",
                "page.html",
            ),
            folder,
        )
        return (folder / "page.pdf").read_bytes()


def set_typst(source: str, fonts: Path) -> bytes:
    """Set a typst source; return the PDF."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "page.typ").write_text(source, encoding="utf-8")
        code = (
            "import sys, typst; "
            "open('page.pdf', 'wb').write(typst.compile('page.typ', font_paths=[sys.argv[1]]))"
        )
        run_program((sys.executable, "-c", code, fonts), folder)
        return (folder / "page.pdf").read_bytes()


def set_latex(source: str) -> bytes:
    """Set a LaTeX source; return the PDF."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "page.tex").write_text(source, encoding="utf-8")
        run_program(("pdflatex", "-interaction=batchmode", "-halt-on-error", "page.tex"), folder)
        return (folder / "page.pdf").read_bytes()


def set_troff(source: str) -> bytes:
    """Set a troff source with its tables; return the PDF."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        page = run_program(
            ("groff", "-t", "-K", "utf8", "-T", "ps", "-P-pa4"), folder, source.encode()
        )
        (folder / "page.ps").write_bytes(page)
        run_program(("ps2pdf", "page.ps", "page.pdf"), folder)
        return (folder / "page.pdf").read_bytes()


def set_office(source: str, ending: str) -> bytes:
    """Set a flat office file (``fodt`` or ``fods``); return the PDF."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / f"page.{ending}").write_text(source, encoding="utf-8")
        profile = f"-env:UserInstallation={(folder / 'profile').as_uri()}"
        run_program(
            ("soffice", profile, "--headless", "--convert-to", "pdf", f"page.{ending}"), folder
        )
        return (folder / "page.pdf").read_bytes()


def set_listing(source: bytes, point: float) -> bytes:
    """Print a fixed-pitch listing with colour escapes; return the PDF."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "page.txt").write_bytes(source)
        run_program(
            ("enscript", "-q", "-e", "-B", "-M", "A4", "-f", f"Courier{point:.1f}", "-X", "latin1",
             "--margins=40:40:40:40", "-o", "page.ps", "page.txt"),
            folder,
        )  # fmt: skip
        run_program(("ps2pdf", "page.ps", "page.pdf"), folder)
        return (folder / "page.pdf").read_bytes()
