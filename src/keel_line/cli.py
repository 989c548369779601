"""The command line: open the window, or convert without it."""

from __future__ import annotations

import logging
import os
import sys
from collections.abc import Sequence
from pathlib import Path

import click
import msgspec
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn
from typing_extensions import override

from keel_line import __version__
from keel_line._shared.log_file import open_log
from keel_line._shared.texts import count_of
from keel_line.desk.demo import demo_pages
from keel_line.desk.desk import SEND_FORMATS, Desk
from keel_line.desk.engine import check_target
from keel_line.desk.forms import Jig, find_form
from keel_line.desk.jigs import JigError, read_jig
from keel_line.desk.pool import WorkerPool
from keel_line.desk.tally import Tally, count_table
from keel_line.desk.tidying import lay_on
from keel_line.errors import KeelLineError, OutputError
from keel_line.model.form import KnownForm
from keel_line.settings import PLAIN_SIGNS, TOLERANCE

_MB = 1_000_000


class FileOrCommand(click.Group):
    """A group whose first word may also be a file: ``keel-line scan.png`` opens the window."""

    @override
    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Send words that are no command to the hidden ``window`` command."""
        words = [a for a in args if not a.startswith("-")]
        asks = {"--help", "--version"} & set(args)
        if not asks and (not words or words[0] not in self.commands):
            args = ["window", *args]
        return super().parse_args(ctx, args)


@click.group(cls=FileOrCommand)
@click.version_option(__version__, prog_name="keel-line")
def main() -> None:
    """Turn scanned paper tables into checked spreadsheets.

    Without a command the window opens, with the files and folders that are named.
    """
    logging.basicConfig()
    open_log()


@main.command(hidden=True)
@click.argument("files", nargs=-1, type=click.Path(path_type=Path))
def window(files: tuple[Path, ...]) -> None:
    """Open the window."""
    from keel_line.ui.app import run_window  # noqa: PLC0415 - conversion must not load Qt

    sys.exit(run_window(list(files)))


@main.command()
@click.option("--fresh", is_flag=True, help="Start the demo docket from the beginning.")
def demo(*, fresh: bool) -> None:
    """Open the window with the demo docket; without a display, convert the demo's pages."""
    if any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        from keel_line.ui.app import run_demo  # noqa: PLC0415 - conversion must not load Qt

        sys.exit(run_demo(fresh=fresh))
    console = Console(highlight=False, soft_wrap=True)
    console.print("There is no display here, so the demo's pages are converted without the window.")
    folder = Path("keel-line-demo")
    desk = Desk()
    try:
        folder.mkdir(exist_ok=True)
        failed = _read(desk, tuple(demo_pages()), None, console)
        for ending in SEND_FORMATS:
            for path in desk.send(folder / f"Brannock Sound{ending}").files:
                console.print(f"Wrote {path.resolve()}", markup=False)
        console.print(_summary(desk), markup=False)
    finally:
        desk.close()
    sys.exit(1 if failed else 0)


@main.command()
@click.argument("inputs", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option(
    "-o",
    "--output",
    required=True,
    type=click.Path(path_type=Path, allow_dash=True),
    help=f"Output file; its ending sets the format ({', '.join(SEND_FORMATS)}). "
    "'-' writes JSON to standard output.",
)
@click.option(
    f"--{TOLERANCE.name}",
    default=TOLERANCE.default,
    show_default=True,
    type=click.FloatRange(TOLERANCE.low, TOLERANCE.high),
    help=TOLERANCE.help,
)
@click.option(
    f"--{PLAIN_SIGNS.name}", is_flag=True, default=PLAIN_SIGNS.default, help=PLAIN_SIGNS.help
)
@click.option("--jobs", default=None, type=click.IntRange(1), help="Number of worker processes.")
@click.option(
    "--jig",
    "jigs",
    multiple=True,
    type=click.Path(path_type=Path),
    help="Tidy tables of a form as this jig says; may be given several times.",
)
@click.option("--as-text", is_flag=True, help="Write every cell as text, as the paper has it.")
@click.option("--no-marks", is_flag=True, help="Leave out the marks of doubt and their list.")
@click.option("--no-source", is_flag=True, help="Do not tell where tables come from.")
@click.option("--one-sheet", is_flag=True, help="Write all tables below each other.")
def convert(
    inputs: tuple[Path, ...],
    output: Path,
    unseen: float,
    jobs: int | None,
    jigs: tuple[Path, ...],
    *,
    plain_signs: bool,
    as_text: bool,
    no_marks: bool,
    no_source: bool,
    one_sheet: bool,
) -> None:
    """Convert scans, or folders of them, to a spreadsheet or JSON without the window."""
    to_output = str(output) == "-"
    if not to_output and output.suffix.lower() not in SEND_FORMATS:
        raise click.UsageError(
            f"Unknown file ending “{output.suffix}”. Use {', '.join(SEND_FORMATS)}."
        )
    console = Console(stderr=True, highlight=False, soft_wrap=True)
    desk = Desk()
    try:
        if not to_output:
            check_target(output)  # before hundreds of pages are read for it
        desk.set_tolerance(unseen)
        desk.set_plain_signs(plain=plain_signs)
        forms = [read_jig(path) for path in jigs]  # before hundreds of pages are read for it
        for jig in forms:
            desk.follow_writing(jig.write)
        how = desk.send_options
        desk.set_send_options(
            msgspec.structs.replace(
                how,
                marks=how.marks and not no_marks,
                source=how.source and not no_source,
                stacked=how.stacked or one_sheet,
                as_text=how.as_text or as_text,
            )
        )
        failed = _read(desk, inputs, jobs, console, forms)
        for table in desk.tables() if forms else ():
            laid = (change for jig in forms if (change := lay_on(table, jig)) is not None)
            if (change := next(laid, None)) is not None:
                desk.set_steps(table, change)
        if desk.sources() and any(p.progress == "done" for p in desk.pages()):
            if to_output:
                for document in desk.json_lines():
                    sys.stdout.buffer.write(document)
            else:
                _send(desk, output, console, jobs)
    except (OutputError, JigError) as error:
        console.print(str(error), style="red", markup=False)
        failed = True
    except KeyboardInterrupt:
        console.print("Stopped. Nothing was written.", style="red", markup=False)
        failed = True
    finally:
        desk.close()
    sys.exit(1 if failed else 0)


@main.command()
@click.argument("docket", type=click.Path(path_type=Path))
def compact(docket: Path) -> None:
    """Make a docket's file smaller.

    Nothing that was done is forgotten. To undo squaring or lines, Keel Line reads their pages
    again.
    """
    if not docket.is_file():
        raise OutputError(f"{docket} is no file.")
    before = docket.stat().st_size
    desk = Desk(docket)
    try:
        desk.docket.compact()
    finally:
        desk.close()
    after = docket.stat().st_size
    click.echo(f"{docket.name}: {before / _MB:.1f} MB before, {after / _MB:.1f} MB now.")


def _read(
    desk: Desk,
    inputs: tuple[Path, ...],
    jobs: int | None,
    console: Console,
    forms: Sequence[Jig] = (),
) -> bool:
    """Add files and read their pages in workers; return whether anything failed.

    Pages that look like a jig's form, but were found with other lines, are read again with its own.
    """
    with WorkerPool(jobs) as pool:
        failed = _take_in(desk, inputs, pool, console)
        known = [jig.known for jig in forms if jig.known is not None]
        failed = _work(desk, pool, console, known) or failed
        pages = desk.pages() if forms else []
        tables = desk.tables() if forms else []
        found = [
            (page, fit)
            for page in pages
            if (fit := find_form(page, [t for t in tables if t.page_id == page.id], forms))
        ]
        if found:
            desk.lay_forms(found)
            failed = _work(desk, pool, console, known) or failed
        return failed


def _take_in(desk: Desk, inputs: tuple[Path, ...], pool: WorkerPool, console: Console) -> bool:
    notices = desk.add_files(inputs, pool)
    for notice in notices:
        if notice.trouble:
            console.print(notice.text, style="red", markup=False)
    return any(n.trouble for n in notices)


def _work(desk: Desk, pool: WorkerPool, console: Console, known: Sequence[KnownForm] = ()) -> bool:
    total = len(desk.waiting())
    with Progress(
        TextColumn("{task.description}"),
        BarColumn(),
        MofNCompleteColumn(),
        TimeRemainingColumn(),
        console=console,
        transient=True,
        disable=not console.is_terminal,
    ) as bar:
        task = bar.add_task("Reading pages", total=total)

        def show(done: int, _total: int) -> None:
            bar.update(task, completed=done)

        desk.run(pool, progress=show, forms=known)
    for page in desk.pages():
        if page.progress == "failed":
            console.print(page.trouble, style="red", markup=False)
        elif not page.tables:
            console.print(
                f"{page.source_name}, page {page.number}: no table was found.",
                style="yellow",
                markup=False,
            )
        doubts = [f"check the page's position: {page.unsure}."] if page.unsure else []
        if page.progress == "done" and page.verdict.outlook == "poor":
            doubts += page.verdict.reasons
        for doubt in doubts:
            console.print(
                f"{page.source_name}, page {page.number}: {doubt}", style="yellow", markup=False
            )
    return any(p.progress == "failed" for p in desk.pages())


def _send(desk: Desk, output: Path, console: Console, jobs: int | None) -> None:
    if SEND_FORMATS[output.suffix.lower()].write_pages is None:
        sent = desk.send(output)
    else:  # running text is read
        with WorkerPool(jobs) as pool:
            sent = desk.send(output, executor=pool)
    for notice in sent.notices:
        console.print(notice, style="yellow", markup=False)
    if console.is_terminal:
        for path in sent.files:
            console.print(f"Wrote {path}", markup=False)
        console.print(_summary(desk), markup=False)


def _summary(desk: Desk) -> str:
    total = Tally()
    for table in desk.tables():
        total.add_all(count_table(table))
    return (
        f"{count_of(total.tables, 'table')}, {count_of(total.cells, 'cell')}, "
        f"{count_of(total.open, 'doubt')}. "
        f"Expected wrong cells among the others: {total.wrong:.1f}."
    )


def run() -> None:
    """Run the command line; known trouble ends it with a sentence instead of a traceback."""
    try:
        main()
    except KeelLineError as error:
        click.echo(str(error), err=True)
        sys.exit(1)


if __name__ == "__main__":
    run()
