"""Run the benchmark and write docs/accuracy.md: ``python -m benchmarks.run``.

Pages are drawn in faces and with words that neither training nor tuning saw, from seeds that
nothing else uses. Every figure in the report is measured in the run that writes it.
"""

from __future__ import annotations

import resource
import time

import click

from benchmarks.groups import score_groups
from benchmarks.materials import MATERIALS, Material, encode, make_material
from benchmarks.measure import PageScore, score_page
from benchmarks.press import PRESS, score_folder
from benchmarks.proofing import measure_proofing
from benchmarks.reckoning import score_reckoning
from benchmarks.repeats import score_marks, score_repeats
from benchmarks.report import (
    BENT_PAGES,
    GROUP_PAGES,
    LEDGER_PAGES,
    LYING_PAGES,
    MARK_PAGES,
    NEIGHBOUR_PAGES,
    PHOTOGRAPHED_SHEETS,
    PROSE_PAGES,
    REGISTER_PAGES,
    RULED_PAGES,
    TURNED_PAGES,
    Measured,
    table_row,
    write_report,
)
from benchmarks.ruling import count_false_tables, score_lying, score_neighbours, score_rulings
from benchmarks.squaring import score_laying
from benchmarks.timing import time_page, time_reader, time_window


def run_material(number: int, material: Material) -> list[PageScore]:
    """Make and score the pages of one material."""
    return [
        score_page(page, encode(page), f"{material.name} {i}")
        for i, page in enumerate(make_material(number, material))
    ]


@click.command()
def main() -> None:
    """Measure, print the report, and keep it as docs/accuracy.md."""
    begun = time.monotonic()
    page, window, reader = time_page(), time_window(), time_reader()
    groups = {}
    for number, material in enumerate(MATERIALS):
        groups[material.name] = run_material(number, material)
        click.echo(table_row(material.name, groups[material.name]), err=True)
    measured = Measured(
        groups=groups,
        page=page,
        window=window,
        reader=reader,
        laid=score_laying(TURNED_PAGES, PHOTOGRAPHED_SHEETS, BENT_PAGES),
        ruled=(
            score_rulings(RULED_PAGES),
            score_neighbours(NEIGHBOUR_PAGES),
            count_false_tables(PROSE_PAGES),
            score_lying(LYING_PAGES),
            score_groups(GROUP_PAGES),
        ),
        pressed=score_folder(PRESS),
        reckoned=score_reckoning(LEDGER_PAGES),
        repeated=score_repeats(REGISTER_PAGES),
        marked=score_marks(MARK_PAGES),
        proofed=measure_proofing(),
        minutes=(time.monotonic() - begun) / 60,
    )
    click.echo(write_report(measured))
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    click.echo(f"Peak memory of the whole benchmark: {peak:.0f} MB", err=True)


if __name__ == "__main__":
    main()
