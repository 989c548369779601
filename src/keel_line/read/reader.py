"""Reads the cells of a page: ink, lines, network, decoding and confidence."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey, flatten_light
from keel_line.model.form import KnownColumn, KnownForm
from keel_line.model.geometry import Box
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import CharReading, Reading, RunnerUp
from keel_line.read.account import InkAccount, account_ink
from keel_line.read.blanks import (
    Remnants,
    blank_confidence,
    load_blanks,
    measure_pieces,
    measure_remains,
    recurs,
)
from keel_line.read.cells import PreparedCell, by_column, prepare_grid
from keel_line.read.column import gather_forms
from keel_line.read.confidence import (
    FEATURES,
    Calibration,
    estimate_confidence,
    load_calibration,
    log_odds,
    measure_hardness,
)
from keel_line.read.decode import Decoded, decode_line
from keel_line.read.evidence import EvidenceModel
from keel_line.read.glyphs import PageLines
from keel_line.read.known import as_cells, find_known
from keel_line.read.language import (
    LanguageModel,
    choose_by_language,
    lead_by_language,
    load_language,
    score_against_usual,
)
from keel_line.read.lengths import load_lengths, weigh_lengths
from keel_line.read.likeness import load_likeness, weigh_likeness
from keel_line.read.lines import TextLine
from keel_line.read.looks import look_again
from keel_line.read.network import Network
from keel_line.read.rivals import Fit, chance_of, find_runners_up, measure_lead
from keel_line.read.spaces import (
    LineGaps,
    SpaceModel,
    clear_marks,
    judge_gaps,
    load_space_model,
    measure_gap_features,
    measure_gaps,
    measure_setting,
    measure_stretch,
    set_spaces,
)
from keel_line.read.stops import add_stops
from keel_line.read.values import Worth, choose_known, gather_values, make_worth

_AROUND_IN = 0.1
_CUT_SURE = 0.5
_STROKE_SURE = 0.8
_NOT_READ = 0.001
# Letters this far apart beyond their shapes: of eight such readings that seemed sure one was wrong.
_STRETCHED, _STRETCHED_SURE = 0.2, 0.85
_FEW_AGREE = 0.7
_SAY_OF_VALUES = 0.5  # print that is misread once is misread alike where it stands again
_UNUSUAL_FORM = -1.0
_SURELY_DIRT = 0.99
_SPECKS = "Looks blank, but has specks."
_UNREAD = "Some ink here could not be read."
_AGAIN = "Other cells in its column have ink in the same place."


@dataclass(frozen=True, eq=False)
class _Case:
    """Everything known about a cell when its reading is completed.

    Attributes
    ----------
    cell, decoded
        The cell, and what is read on each of its lines.
    language
        How far each line's text leads its runners-up where the language has as much say as ink.
    hardness
        How hard the table's other cells are to read.
    fit
        How well a text fits the column.
    runners_up, lead
        The other readings, and how far the first leads them.
    remains
        What is measured of the ink of a cell in which nothing is read; None of other cells.
    stretch
        How far the letters stand apart beyond what their shapes tell.
    """

    cell: PreparedCell
    decoded: list[Decoded]
    language: list[float]
    hardness: float
    fit: Fit
    runners_up: tuple[RunnerUp, ...]
    lead: float
    remains: tuple[float, ...] | None
    stretch: float


@dataclass(frozen=True)
class Reader:
    """Reads pages with one network, one language and one calibration.

    ``heed_values`` lets what a column says again and again weigh where the ink is open.
    """

    network: Network = field(default_factory=Network)
    calibration: Calibration = field(default_factory=load_calibration)
    spaces: SpaceModel = field(default_factory=load_space_model)
    language: LanguageModel = field(default_factory=load_language)
    likeness: EvidenceModel = field(default_factory=load_likeness)
    lengths: EvidenceModel = field(default_factory=load_lengths)
    blanks: EvidenceModel = field(default_factory=load_blanks)
    heed_values: bool = True

    def read_page(
        self,
        grey: Grey,
        dpi: float,
        grids: Sequence[Grid],
        flat: Grey | None = None,
        forms: Sequence[KnownForm] = (),
        *,
        prose: bool = False,
    ) -> list[list[Reading]]:
        """Read every cell of every grid.

        Parameters
        ----------
        grey
            Squared page, shape (rows, cols), 0 is black.
        dpi
            Its resolution.
        grids
            The page's grids.
        flat
            The page with its light evened out, where the caller has it.
        forms
            Forms of which earlier pages are known.
        prose
            Whether the cells are lines of running text (see :mod:`keel_line.read.stops`).

        Returns
        -------
        list of list of Reading
            For each grid its cells' readings, in the order of ``grid.cells``; none is read of a
            table on its side.
        """
        return [
            [self._leave_unread()] * len(grid.cells)
            if cases is None
            else [self._conclude(case) for case in cases]
            for grid, cases in zip(
                grids, self._weigh_page(grey, dpi, grids, flat, forms, prose=prose), strict=True
            )
        ]

    def measure_blanks(
        self, grey: Grey, dpi: float, grids: Sequence[Grid]
    ) -> list[list[tuple[float, ...] | None]]:
        """Measure the leftover ink of cells in which nothing is read, for fitting.

        The arguments are those of :meth:`read_page`. Cells without any ink, and those in which
        something is read, have None; a table on its side has no cells.
        """
        return [[c.remains for c in cases or ()] for cases in self._weigh_page(grey, dpi, grids)]

    def _weigh_page(
        self,
        grey: Grey,
        dpi: float,
        grids: Sequence[Grid],
        flat: Grey | None = None,
        forms: Sequence[KnownForm] = (),
        *,
        prose: bool = False,
    ) -> list[list[_Case] | None]:
        """Return the case of each cell of each grid; None for a sideways table."""
        if not grids:
            return []
        flat = flatten_light(grey) if flat is None else flat
        line = self.network.recipe.line
        # Writing on its side would be read as other writing than it is.
        prepared = [[] if g.on_side else prepare_grid(flat, dpi, g, line) for g in grids]
        pictures = [p for cells in prepared for c in cells for p in c.pictures]
        first = self.network.run(pictures)
        alphabet = self.network.recipe.alphabet
        decoded = [decode_line(probs, alphabet) for probs in first]
        looked = look_again(pictures, first, decoded, self.network)
        seen = PageLines(pictures, first, alphabet, line)
        looked = weigh_likeness(seen, looked, self.likeness)
        looked = weigh_lengths(seen, looked, self.lengths)
        looked = choose_by_language(looked, first, alphabet, self.language)
        if prose:
            looked = [add_stops(d, p, alphabet) for d, p in zip(looked, first, strict=True)]
        each = iter(zip(looked, first, strict=True))
        out: list[list[_Case] | None] = []
        for grid, cells in zip(grids, prepared, strict=True):
            if grid.on_side:
                out.append(None)
                continue
            own = [[next(each) for _ in cell.pictures] for cell in cells]
            lines = [[d for d, _ in pairs] for pairs in own]
            probs = [[p for _, p in pairs] for pairs in own]
            known = find_known(grid, [_join(own) for own in lines], forms)
            out.append(self._weigh_table(cells, lines, probs, known))
        return out

    def _weigh_table(
        self,
        cells: list[PreparedCell],
        decoded: list[list[Decoded]],
        probs: list[list[NDArray[np.float32]]],
        known: Sequence[KnownColumn],
    ) -> list[_Case]:
        """Let a table's cells influence one another; return their cases."""
        spaced, stretches = self._set_spaces(cells, decoded, probs)
        spaced, worths = self._apply_column_values(cells, spaced, probs, known)
        fits = _fit_columns(cells, spaced, known)
        leads = iter(lead_by_language([d for lines in spaced for d in lines], self.language))
        hardness = iter(measure_hardness([_margin(d) for d in spaced if _has_text(d)]))
        rivals = self._find_rivals(spaced, fits, worths)
        remnants = [_gather_remnants(c, d) for c, d in zip(cells, spaced, strict=True)]
        remains = measure_remains(remnants, list(by_column(cells).values()))
        return [
            _Case(
                cell=cell,
                decoded=lines,
                language=[next(leads) for _ in lines],
                hardness=next(hardness) if _has_text(lines) else 0.0,
                fit=fit,
                runners_up=runners_up,
                lead=lead,
                remains=left,
                stretch=stretch,
            )
            for cell, lines, fit, (runners_up, lead), left, stretch in zip(
                cells, spaced, fits, rivals, remains, stretches, strict=True
            )
        ]

    def read_words(self, grey: Grey, dpi: float, box: Box) -> tuple[str, float]:
        """Read the text in a box outside the tables; empty if it cannot be read.

        Returns the text on one line, and how sure it is (0 to 1).
        """
        around = round(_AROUND_IN * dpi)
        left, top = max(0, int(box[0]) - around), max(0, int(box[1]) - around)
        cut = np.ascontiguousarray(
            grey[top : int(box[3]) + around + 1, left : int(box[2]) + around + 1]
        )
        own = (box[0] - left, box[1] - top, box[2] - left, box[3] - top)
        grid = Grid(own, (own[0], own[2]), (own[1], own[3]), (Cell(0, 0, 1, 1, own),))
        ((reading,),) = self.read_page(cut, dpi, [grid])
        return " ".join(reading.text.split()), reading.confidence

    def _leave_unread(self) -> Reading:
        why = "This table is sideways and was not read."
        return Reading("", _NOT_READ, reasons=(why,), model=self.network.hash)

    def _set_spaces(
        self,
        cells: list[PreparedCell],
        decoded: list[list[Decoded]],
        probs: list[list[NDArray[np.float32]]],
    ) -> tuple[list[list[Decoded]], list[float]]:
        """Judge every gap again by how the table's letters are set.

        Returns the lines, and for each cell how far its letters stand apart beyond that.
        """
        gaps, cleared = measure_table_gaps(cells, decoded, probs, self.network)
        setting = measure_setting([g for own in gaps for g in own])
        spaced = [
            [
                set_spaces(d, judge_gaps(self.spaces, measure_gap_features(g, setting)))
                for d, g in zip(lines, own, strict=True)
            ]
            for lines, own in zip(cleared, gaps, strict=True)
        ]
        return spaced, [
            max((measure_stretch(g, setting) for g in own), default=0.0) for own in gaps
        ]

    def _apply_column_values(
        self,
        cells: list[PreparedCell],
        decoded: list[list[Decoded]],
        probs: list[list[NDArray[np.float32]]],
        known: Sequence[KnownColumn],
    ) -> tuple[list[list[Decoded]], list[Worth]]:
        """Resolve undecided readings by the column's values; return their weights, too."""
        alphabet = self.network.recipe.alphabet
        out = list(decoded)
        worths: list[Worth] = [_worth_nothing] * len(cells)
        if not self.heed_values:
            return out, worths
        for col, every in by_column(cells).items():
            numbers = [n for n in every if _has_text(decoded[n])]
            shares = [_share_readings(decoded[n]) for n in numbers]
            column = gather_values([*shares, *(as_cells(known[col]) if known else ())])
            for n, own in zip(numbers, shares, strict=True):
                worths[n] = make_worth(column, own)
                if len(decoded[n]) == 1:
                    out[n] = [choose_known(decoded[n][0], probs[n][0], column, own, alphabet)]
        return out, worths

    def _find_rivals(
        self, decoded: list[list[Decoded]], fits: list[Fit], worths: list[Worth]
    ) -> list[tuple[tuple[RunnerUp, ...], float]]:
        """Return each cell's runners-up, and the lead of its reading."""
        kept = [[d for d in lines if d.text] or lines for lines in decoded]
        fits = [_score_column_fit(fit, worth) for fit, worth in zip(fits, worths, strict=True)]
        found = [find_runners_up(lines, fit) for lines, fit in zip(kept, fits, strict=True)]
        texts = [_join(lines) for lines in kept]
        every = [*texts, *(r.text for own in found for r in own)]
        likely = score_against_usual([t for t in every if t], self.language)
        return [
            (own, measure_lead(text, chance_of(lines), own, fit, likely) if text else 0.0)
            for lines, text, own, fit in zip(kept, texts, found, fits, strict=True)
        ]

    def _conclude(self, case: _Case) -> Reading:
        """Combine a cell's lines into one reading with its confidence."""
        model = self.network.hash
        cell = case.cell
        kept = [
            (line, left, d)
            for line, left, d in zip(cell.lines, cell.lefts, case.decoded, strict=True)
            if d.text
        ]
        if not kept:
            unread_ink = float(cell.ink.mask.sum()) / cell.cap_px**2
            blank = blank_confidence(case.remains, self.blanks, unread_ink)
            if cell.ink.is_blank and blank > _SURELY_DIRT:
                return Reading("", blank, model=model)
            why = _SPECKS if cell.ink.is_blank else _UNREAD
            account = account_ink(cell.ink, (), cell.origin, cell.cap_px)
            return Reading(
                "",
                blank,
                runners_up=case.runners_up,
                reasons=(why, _AGAIN) if recurs(case.remains) else (why,),
                model=model,
                unread=account.unread,
            )
        chars = tuple(
            c for i, (line, left, d) in enumerate(kept) for c in self._place(cell, line, left, d, i)
        )
        text = _join([d for _, _, d in kept])
        account = account_ink(cell.ink, chars, cell.origin, cell.cap_px)
        features = _features(cell, [line for line, _, _ in kept], [d for _, _, d in kept], account)
        features = (
            *features,
            case.fit(text),
            min(case.language),
            case.hardness,
            case.hardness * features[0],
            case.lead,
            case.hardness * case.lead,
            case.stretch,
        )
        bounds = [
            bound
            for bound, holds in (
                (_CUT_SURE, cell.cut),  # what is read may be right, and yet not all that is written
                (_STROKE_SURE, account.stray_stroke),
                (_STRETCHED_SURE, case.stretch > _STRETCHED),
            )
            if holds
        ]
        confidence = min([estimate_confidence(self.calibration, features), *bounds])
        return Reading(
            text,
            confidence,
            chars,
            case.runners_up,
            _reasons(
                chars,
                case.runners_up,
                dict(zip(FEATURES, features, strict=True)),
                unread=bool(account.unread),
                cut=cell.cut,
            ),
            tuple(zip(FEATURES, (round(f, 4) for f in features), strict=True)),
            model,
            account.unread,
            held_down=bool(bounds),
        )

    def _place(
        self, cell: PreparedCell, line: TextLine, left: int, decoded: Decoded, number: int
    ) -> list[CharReading]:
        """Return each character's place on the page."""
        recipe = self.network.recipe.line
        scale = recipe.cap / line.cap_px
        xs = (decoded.places * recipe.step - recipe.margin) / scale + left + cell.origin[0]
        middles = xs.mean(axis=1) if len(xs) else np.zeros(0)
        cuts = [(a + b) / 2 for a, b in pairwise(middles)]
        half = 0.35 * line.cap_px
        lows = [float(middles[0] - half), *cuts] if len(middles) else []
        highs = [*cuts, float(middles[-1] + half)] if len(middles) else []
        top = cell.origin[1] + line.baseline - line.cap_px
        return [
            CharReading(
                char,
                round(float(chance), 4),
                (
                    round(float(x0), 1),
                    round(top, 1),
                    round(float(x1), 1),
                    round(top + line.cap_px * 1.25, 1),
                ),
                number,
            )
            for char, chance, x0, x1 in zip(decoded.text, decoded.chances, lows, highs, strict=True)
        ]


def _fit_columns(
    cells: list[PreparedCell], decoded: list[list[Decoded]], known: Sequence[KnownColumn]
) -> list[Fit]:
    """Return how well each cell's text fits its column: the log of its form's share.

    Cells over several columns, and the form of a cell itself, are left out of the column.
    """
    texts = [_join(lines) for lines in decoded]
    weights = [chance_of(lines) for lines in decoded]
    forms = {
        col: gather_forms(
            ((texts[n], weights[n]) for n in numbers if texts[n]),
            known[col].forms if known else {},
        )
        for col, numbers in by_column(cells).items()
    }

    def make(cell: Cell, text: str, weight: float) -> Fit:
        column = forms.get(cell.col)
        if column is None or cell.col_span > 1:
            return lambda _: 0.0
        return lambda other: column.log_share(other, text, weight)

    return [
        make(cell.cell, text, weight)
        for cell, text, weight in zip(cells, texts, weights, strict=True)
    ]


def _gather_remnants(cell: PreparedCell, decoded: Sequence[Decoded]) -> Remnants:
    """Gather the measures that separate blank cells from unread marks."""
    pieces = measure_pieces(cell.ink, cell.baseline, cell.cap_px)
    empty = None if cell.ink.is_blank else log_odds(chance_of(decoded))
    return Remnants(_join(decoded), pieces, empty)


def _share_readings(lines: Sequence[Decoded]) -> dict[str, float]:
    """Return a cell's readings with probabilities; only the best one of several lines."""
    if len(lines) == 1:
        return {text: chance for text, chance in lines[0].beams if text}
    return {_join(lines): chance_of([d for d in lines if d.text])}


def _worth_nothing(_: str) -> float:
    return 0.0


def _score_column_fit(fit: Fit, worth: Worth) -> Fit:
    """Return how well a text fits a column by its form and by the column's other values."""
    return lambda text: fit(text) + _SAY_OF_VALUES * worth(text)


def measure_table_gaps(
    cells: Sequence[PreparedCell],
    decoded: Sequence[Sequence[Decoded]],
    probs: Sequence[Sequence[NDArray[np.float32]]],
    network: Network,
) -> tuple[list[list[LineGaps]], list[list[Decoded]]]:
    """Measure the gaps of every line of a table, after removing marks without ink.

    Returns the gaps and the cleared decodings, by cell and line.
    """
    recipe = network.recipe.line
    space = network.recipe.alphabet.index(" ") + 1
    gaps: list[list[LineGaps]] = []
    cleared: list[list[Decoded]] = []
    for cell, lines, looks in zip(cells, decoded, probs, strict=True):
        own, seen = [], []
        for line, left, first, look in zip(cell.lines, cell.lefts, lines, looks, strict=True):
            scale = recipe.cap / line.cap_px
            middles = (first.places.mean(axis=1) * recipe.step - recipe.margin) / scale + left
            d = clear_marks(first, cell.ink.grey, middles, line.baseline, line.cap_px)
            inked = np.asarray(cell.ink.mask[line.top : line.bottom].any(axis=0), np.bool_)
            seen.append(d)
            own.append(measure_gaps(inked, d, middles, line.cap_px, look[:, space]))
        gaps.append(own)
        cleared.append(seen)
    return gaps, cleared


def _join(decoded: Sequence[Decoded]) -> str:
    """Join the texts of a cell's lines, without empty ones."""
    return "\n".join(d.text for d in decoded if d.text)


def _has_text(decoded: Sequence[Decoded]) -> bool:
    return any(d.text for d in decoded)


def _margin(decoded: Sequence[Decoded]) -> float:
    """Return the log odds of a cell's best beams against all others, without blank lines."""
    return log_odds(chance_of([d for d in decoded if d.text]))


def _features(
    cell: PreparedCell,
    lines: list[TextLine],
    decoded: list[Decoded],
    account: InkAccount,
) -> tuple[float, ...]:
    chances = np.concatenate([d.chances for d in decoded])
    length = max(1, len(chances))
    return (
        _margin(decoded),
        log_odds(float(chances.min()) if len(chances) else 0.5),
        float(np.minimum(-np.log(np.maximum(chances, 1e-6)), 6).sum()),
        float(np.log(length)),
        float(np.log(min(line.cap_px for line in lines) / 20)),
        account.unexplained,
        float(any(not line.sure for line in lines)),
        float(np.log1p(cell.ink.dirt_px)),
        min(d.agreement for d in decoded),
    )


_ORDINALS = (
    "first",
    "second",
    "third",
    "fourth",
    "fifth",
    "sixth",
    "seventh",
    "eighth",
    "ninth",
    "tenth",
    "eleventh",
    "twelfth",
)


def _reasons(
    chars: tuple[CharReading, ...],
    runners_up: tuple[RunnerUp, ...],
    features: dict[str, float],
    *,
    unread: bool,
    cut: bool,
) -> tuple[str, ...]:
    """Return the reasons why a cell may be wrong, weightiest first, in plain words."""
    reasons = ["The writing runs past the edge of the cell."] if cut else []
    visible = [c for c in chars if c.char != " "]
    weak = [(i, c) for i, c in enumerate(visible) if c.probability < 0.9]
    if len(weak) > 3:
        reasons.append(f"{len(weak)} characters are unclear.")
    elif weak:
        i, char = min(weak, key=lambda item: item[1].probability)
        kind = "figure" if char.char.isdigit() else "letter" if char.char.isalpha() else "sign"
        if all(c.char.isdigit() for c in visible) or i == 0:
            place = _ORDINALS[i] if i < len(_ORDINALS) else f"{i + 1}th"
            reasons.append(f"The {place} {kind} is unclear.")
        else:
            reasons.append(f"The {kind} “{char.char}” is unclear.")
    elif runners_up and runners_up[0].probability > 0.05:
        reasons.append("Another reading is nearly as likely.")
    if unread or features["unexplained"] > 0.08:
        reasons.append("Some ink is not explained by the reading.")
    if features["stretch"] > _STRETCHED:
        reasons.append("There may be one more letter than was read.")
    if features["agreement"] < _FEW_AGREE:
        reasons.append("A second look read it otherwise.")
    if features["column"] < _UNUSUAL_FORM:
        reasons.append("It is written in another form than the rest of its column.")
    if features["size"] < -0.5:
        reasons.append("The text is very small on the scan.")
    if not reasons:
        reasons.append("The reading is less sure than its neighbours.")
    return tuple(reasons)
