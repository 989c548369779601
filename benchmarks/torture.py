"""Kills, damaged files and the network: what must hold however badly things go.

Run as ``python -m benchmarks.torture``; it writes docs/torture.md.
"""

from __future__ import annotations

import argparse
import io
import os
import random
import resource
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from concurrent.futures import FIRST_COMPLETED, Future, wait
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from keel_line.desk.desk import Desk
from keel_line.desk.pool import InlineExecutor, WorkerLost, WorkerPool
from keel_line.desk.work import PageRequest, process_page
from keel_line.errors import KeelLineError
from keel_line.gather.sources import count_pages
from synth.pdf import draw_line, write_pdf, write_words

ROOT = Path(__file__).resolve().parent.parent
_SEED = 6021
_MOST_PAGES = 2
_ROWS = (("Berth", "Vessel", "Tons"), ("N 4", "Marigold", "412.50"), ("S 12", "Skerry", "96.25"))
_MANY = 400  # files in the pool at once
_STEPS = 50  # of one walk


# --- kills ---

_SETTLE = """
import sys
from pathlib import Path
from keel_line.desk.desk import Desk
desk = Desk(Path(sys.argv[1]))
if desk.docket.read_only:
    sys.exit(desk.docket.read_only)
cells = desk.tables()[0].cells
n = int(sys.argv[2])
while True:
    desk.replace(cells[n % len(cells)], f"value {n}")
    print(n, flush=True)
    n += 1
"""


_READ = """
import sys
from pathlib import Path
from keel_line.desk.desk import Desk
from keel_line.desk.pool import WorkerPool
if __name__ == "__main__":
    desk = Desk(Path(sys.argv[1]))
    if desk.docket.read_only:
        sys.exit(desk.docket.read_only)
    n = int(sys.argv[2])
    def settle(done, total):
        global n
        print("workers", *pool.process_ids(), flush=True)
        for table in desk.tables()[:1]:
            desk.replace(table.cells[n % len(table.cells)], f"value {n}")
            print(n, flush=True)
            n += 1
    with WorkerPool(2) as pool:
        while True:
            desk.docket.read_again([p.id for p in desk.pages()])
            desk.run(pool, progress=settle)
"""
_PAGES = 12
_END_S = 5.0


@dataclass
class Kills:
    """What became of processes that were killed at their work."""

    kills: int = 0
    acknowledged: int = 0
    lost: int = 0
    broken: int = 0
    orphans: int = 0


def kill_at_work(script: str, kills: int, longest_s: float) -> Kills:
    """Kill a process that settles cells, again and again, and look for what it said it kept."""
    done, rng, last = Kills(), random.Random(_SEED), -1
    with tempfile.TemporaryDirectory() as folder:
        path, work = Path(folder) / "kills.keel", Path(folder) / "work.py"
        work.write_text(script)
        desk = Desk(path)
        for number in range(_PAGES):
            scan = Path(folder) / f"scan {number}.png"
            scan.write_bytes(_make_seeds()["a.png"] + bytes(number))
            desk.add_files([scan])
        desk.run(InlineExecutor())
        desk.close()
        for _ in range(kills):
            run = subprocess.Popen(  # noqa: S603 - this program itself
                [sys.executable, str(work), str(path), str(last + 1)],
                stdout=subprocess.PIPE,
                text=True,
            )
            if run.stdout is None:
                raise AssertionError
            first = run.stdout.readline()
            time.sleep(rng.uniform(0.0, longest_s))
            run.send_signal(signal.SIGKILL)
            lines = [first, *run.stdout.read().splitlines()]
            run.wait()
            run.stdout.close()
            said = [int(line) for line in lines if line.strip().isdigit()]
            last = max([last, *said])
            workers = {
                pid for line in lines if line.startswith("workers") for pid in line.split()[1:]
            }
            done.orphans += _count_alive(workers)
            done.kills += 1
            desk = Desk(path)
            kept = {c.after for c in desk.history()}
            done.lost += sum(f"value {n}" not in kept for n in said)
            done.broken += int(desk.docket.check() != "ok") + int(bool(desk.docket.damage))
            last = max([last, *(int(v.split()[1]) for v in kept if v)])  # kept, not said any more
            desk.close()
        done.acknowledged = last + 1
    return done


def _count_alive(processes: set[str]) -> int:
    """Return how many processes are still there after a few seconds."""
    until = time.monotonic() + _END_S
    while (alive := sum(_is_alive(p) for p in processes)) and time.monotonic() < until:
        time.sleep(0.05)
    return alive


def _is_alive(process: str) -> bool:
    try:
        state = Path(f"/proc/{process}/stat").read_text()
    except FileNotFoundError:
        return False
    return state.rsplit(")", 1)[1].split()[0] != "Z"


# --- walks ---


def walk(walks: int) -> tuple[int, bool]:
    """Do random work on dockets; return the steps, and whether nothing was lost or wrong."""
    run = subprocess.run(  # noqa: S603 - this program's own tests
        [sys.executable, "-m", "pytest", "-q", str(ROOT / "tests" / "docket" / "test_walks.py")],
        env={**os.environ, "KEEL_LINE_WALKS": str(walks)},
        cwd=ROOT,
        check=False,
    )
    return walks * _STEPS, run.returncode == 0


# --- damaged files ---


def _make_seeds() -> dict[str, bytes]:
    """Make a whole file of every format, each a page with a small table."""
    xs, ys = (40, 160, 300, 400), (190, 160, 130, 100)
    lines = [draw_line(40, y, 400, y) for y in ys] + [draw_line(x, 190, x, 100) for x in xs]
    words = [
        write_words(text, x + 8, y - 20)
        for y, row in zip(ys, _ROWS, strict=False)
        for x, text in zip(xs, row, strict=False)
    ]
    pdf = write_pdf([[*lines, *words]] * 2, (440, 230))
    import pypdfium2 as pdfium  # noqa: PLC0415 - only to draw the seeds

    document = pdfium.PdfDocument(pdf)
    picture = document[0].render(scale=150 / 72).to_pil().convert("L")
    document.close()
    seeds = {"text.pdf": pdf}
    kinds: dict[str, tuple[str, dict[str, object]]] = {
        "a.png": ("PNG", {}),
        "a.jpg": ("JPEG", {"quality": 85}),
        "progressive.jpg": ("JPEG", {"progressive": True}),
        "a.webp": ("WEBP", {"lossless": True}),
        "a.bmp": ("BMP", {}),
        "a.pgm": ("PPM", {}),
        "lzw.tif": ("TIFF", {"compression": "tiff_lzw"}),
        "jpeg.tif": ("TIFF", {"compression": "jpeg"}),
    }
    for name, (kind, options) in kinds.items():
        out = io.BytesIO()
        picture.save(out, kind, dpi=(150, 150), **options)
        seeds[name] = out.getvalue()
    flat = picture.convert("1")
    for name, kind, more in (
        ("fax.tif", "TIFF", {"compression": "group4", "save_all": True, "append_images": [flat]}),
        ("a.pbm", "PPM", {}),
        ("moving.png", "PNG", {"save_all": True, "append_images": [flat, flat]}),
        ("scan.pdf", "PDF", {}),
    ):
        out = io.BytesIO()
        flat.save(out, kind, **more)
        seeds[name] = out.getvalue()
    out = io.BytesIO()
    picture.convert("RGBA").save(out, "PNG", dpi=(150, 150))
    seeds["clear.png"] = out.getvalue()
    return seeds


def damage(data: bytes, rng: random.Random) -> bytes:
    """Return a file as a bad disk, a bad copy or a bad mind would leave it."""
    out = bytearray(data)
    for _ in range(rng.choice((1, 1, 2, 5))):
        if not out:
            break
        at = rng.randrange(min(len(out), rng.choice((64, 1024, len(out)))))
        size = rng.choice((1, 4, 32, 512))
        how = rng.randrange(7)
        if how == 0:
            del out[at:]
        elif how == 1:
            out[at] = rng.randrange(256)
        elif how == 2:
            out[at : at + size] = rng.randbytes(min(size, len(out) - at))
        elif how == 3:
            out[at : at + size] = bytes(min(size, len(out) - at))
        elif how == 4:
            del out[at : at + size]
        elif how == 5:
            out[at:at] = out[at : at + size]
        else:
            out[at : at + 4] = rng.choice((b"\xff\xff\xff\xff", b"\x7f\xff\xff\xff", b"\0\0\0\1"))
    return bytes(out)


@dataclass(frozen=True)
class Torment:
    """What came of one damaged file: how it ended, in what time (s) and memory (bytes)."""

    ends: str
    seconds: float
    memory: int
    trace: str = ""


def torment(data: bytes, name: str) -> Torment:
    """Take a file through load, square, rule and read, in a worker."""
    started = time.monotonic()
    ends, trace = "read", ""
    try:
        for number in range(1, min(count_pages(data, name), _MOST_PAGES) + 1):
            process_page(PageRequest(1, name, data, number))
    except KeelLineError:
        ends = "told"
    except MemoryError:
        ends = "too much memory, told"
    except Exception as error:  # noqa: BLE001 - it is what is looked for
        import traceback  # noqa: PLC0415

        ends, trace = f"raw {type(error).__name__}", traceback.format_exc(limit=-3)
    spent = time.monotonic() - started
    return Torment(ends, spent, 1024 * resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, trace)


@dataclass
class Damaged:
    """What came of many damaged files."""

    ends: Counter[str] = field(default_factory=Counter)
    seconds: float = 0.0
    memory: int = 0
    traces: dict[str, str] = field(default_factory=dict)

    @property
    def files(self) -> int:
        """How many there were."""
        return sum(self.ends.values())

    @property
    def raw(self) -> int:
        """How many ended with an exception that is not ours."""
        return sum(n for ends, n in self.ends.items() if ends.startswith("raw"))


def torment_files(files: int, keep: Path | None = None) -> Damaged:
    """Damage files of every format and take them through every station."""
    rng, done = random.Random(_SEED), Damaged()
    seeds = list(_make_seeds().items())
    running: dict[Future[Torment], tuple[str, bytes]] = {}
    left = files
    with WorkerPool() as pool:
        while left or running:
            while left and len(running) < _MANY:
                name, seed = seeds[left % len(seeds)]
                data = damage(seed, rng)
                running[pool.submit(torment, data, name)] = (name, data)
                left -= 1
            for future in wait(running, return_when=FIRST_COMPLETED).done:
                name, data = running.pop(future)
                try:
                    one = future.result()
                except WorkerLost as lost:
                    one = Torment(f"worker {lost.why}, told", 0.0, 0)
                done.ends[one.ends] += 1
                done.seconds = max(done.seconds, one.seconds)
                done.memory = max(done.memory, one.memory)
                if one.trace:
                    done.traces[one.trace] = name
                if keep is not None and not one.ends.startswith(("read", "told")):
                    (keep / f"{done.ends[one.ends]}-{one.ends.split()[0]}-{name}").write_bytes(data)
    return done


# --- the network ---


def count_sockets() -> int | None:
    """Count the sockets that are not local ones, of a conversion; None without ``strace``."""
    strace = shutil.which("strace")
    if strace is None:
        return None
    with tempfile.TemporaryDirectory() as folder:
        log = Path(folder) / "network"
        scan = ROOT / "demo" / "pages" / "2-buoy-inspections.png"
        listening = [strace, "-f", "-e", "trace=network", "-o", str(log)]
        converting = [sys.executable, "-m", "keel_line.cli", "convert", str(scan)]
        subprocess.run(  # noqa: S603 - this program itself
            [*listening, *converting, "-o", f"{folder}/out.xlsx"],
            check=True,
            env={**os.environ, "HOME": folder},
        )
        return sum(
            "socket(" in line and "AF_UNIX" not in line and "AF_LOCAL" not in line
            for line in log.read_text().splitlines()
        )


def main() -> None:
    """Run all of it and write the report."""
    words = argparse.ArgumentParser(description=__doc__)
    words.add_argument("--kills", type=int, default=300)
    words.add_argument("--files", type=int, default=5000)
    words.add_argument("--walks", type=int, default=400)
    words.add_argument("--out", type=Path, default=ROOT / "docs" / "torture.md")
    words.add_argument("--keep", type=Path, help="where files that broke something are kept")
    asked = words.parse_args()
    if asked.keep is not None:
        asked.keep.mkdir(parents=True, exist_ok=True)
    started = time.monotonic()
    settling = kill_at_work(_SETTLE, asked.kills // 2, 0.05)
    reading = kill_at_work(_READ, asked.kills - asked.kills // 2, 2.0)
    walked = walk(asked.walks)
    damaged = torment_files(asked.files, asked.keep)
    sockets = count_sockets()
    minutes = (time.monotonic() - started) / 60
    asked.out.write_text(
        _report((settling, reading), walked, damaged, sockets, minutes), encoding="utf-8"
    )
    sys.stdout.write(asked.out.read_text(encoding="utf-8"))


def _report(
    kills: tuple[Kills, Kills],
    walked: tuple[int, bool],
    damaged: Damaged,
    sockets: int | None,
    minutes: float,
) -> str:
    settling, reading = kills
    steps, held = walked
    ends = "\n".join(f"| {ends} | {n:,} |" for ends, n in damaged.ends.most_common())
    traces = "".join(f"\n```\n{name}\n{trace}```\n" for trace, name in damaged.traces.items())
    seen = "not measured, strace is missing" if sockets is None else sockets
    return f"""# Torture

Measured on {datetime.now().astimezone():%d %B %Y} by `make torture`, in {minutes:.0f} minutes.

## Kills

A process was killed with SIGKILL at random moments, and its docket was opened again each time.

| at work | kills | values it had settled | lost | damaged dockets | workers left over |
|---|---|---|---|---|---|
| settling cells | {settling.kills} | {settling.acknowledged:,} | **{settling.lost}** | \
**{settling.broken}** | **{settling.orphans}** |
| reading pages in workers, and settling | {reading.kills} | {reading.acknowledged:,} | \
**{reading.lost}** | **{reading.broken}** | **{reading.orphans}** |

## Random work

{steps:,} random steps: cells settled, pages squared, tables drawn, named and left out, sums, undo,
redo, pages read again, dockets opened again. After each undo the docket must be as it was before.
{"Nothing was lost or wrong." if held else "**Something was wrong; see the test.**"}

## Damaged files

{damaged.files:,} files of {len(_make_seeds())} formats were damaged: cut short, or with bytes
changed, put in or left out. Each went through load, square, rule and read.

| how it ended | files |
|---|---|
{ends}

"Told" is one message about one file or page.
Exceptions that reached nobody's words: **{damaged.raw}**.
Most memory of a process: {damaged.memory / 1e9:.2f} GB (limit 1.5).
Longest: {damaged.seconds:.1f} s (limit 60 s without a sign of life).
{traces}
## Network

Sockets that a conversion opened, local ones left out: **{seen}**.
"""


if __name__ == "__main__":
    main()
