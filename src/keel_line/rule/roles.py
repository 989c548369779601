"""Tells the role of each piece of writing: outside, caption, heading, body or note of a table.

A small network over the pieces of a page: each round, a piece hears what its neighbours above,
below, left and right have come to, and the means of those on its line and in its column (message
passing as in Gilmer and others, "Neural message passing for quantum chemistry", ICML 2017).
``training.rolenet`` trains it on typeset pages.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Rule
from keel_line.rule.pieces import GROUPS, WAYS, Pieces, measure_pieces
from keel_line.rule.sayings import TEXTS
from keel_line.rule.writing import Writing

Floats = NDArray[np.float64]
Weights = NDArray[np.float32]
OUTSIDE, CAPTION, HEADING, BODY, NOTE = range(5)
_ROLES = 5
_WEIGHTS = Path(__file__).parent / "data" / "roles.npz"
_MOST = 6.0
_SOME, _PLAINLY = 0.3, 0.95
_NEAR_LINES, _MOST_READ, _TALL_CAPS = 5, 150, 2.5
_UNSURE = 0.48
_UP = WAYS.index("up")


@dataclass(frozen=True, eq=False)
class Roles:
    """What is thought of each piece of a page's writing; probabilities from 0 to 1.

    Attributes
    ----------
    roles
        Of each role, shape (n, 5).
    joins
        That its line goes on with the table row of the line before, shape (n,).
    begins
        That it begins another table than the piece above it belongs to, shape (n,).
    parted
        That the piece left of it belongs to another table, shape (n,).
    spans
        That it spans several columns, shape (n,).
    same_left, same_up
        That it stands in one cell with the piece left of it, or above it, shape (n,).
    near
        Number of each piece's neighbour in each of ``pieces.WAYS``, shape (n, 4), -1 for none.
    said
        Measures of what each piece says, shape (n, sayings.TEXTS), zeros where it is not known.
    """

    roles: Floats
    joins: Floats
    begins: Floats
    parted: Floats
    spans: Floats
    same_left: Floats
    same_up: Floats
    near: NDArray[np.int64]
    said: Floats

    @property
    def in_table(self) -> Floats:
        """That each piece is in a table, as heading or body."""
        both: Floats = self.roles[:, HEADING] + self.roles[:, BODY]
        return both

    def of(self, chosen: NDArray[np.bool_] | NDArray[np.int64]) -> Roles:
        """Return what is thought of some pieces; of their neighbours those among them are left."""
        chosen = np.arange(len(self.joins))[chosen]
        numbers = np.full(len(self.joins) + 1, -1, np.int64)
        numbers[chosen] = np.arange(len(chosen))
        return Roles(
            self.roles[chosen],
            self.joins[chosen],
            self.begins[chosen],
            self.parted[chosen],
            self.spans[chosen],
            self.same_left[chosen],
            self.same_up[chosen],
            numbers[self.near[chosen]],
            self.said[chosen],
        )


@dataclass(frozen=True, eq=False)
class RoleNetwork:
    """The weights; see ``training.rolenet.RoleNet``."""

    middle: Weights
    scale: Weights
    first: tuple[Weights, Weights]
    rounds: tuple[tuple[Weights, Weights, tuple[Weights, ...]], ...]
    groups: tuple[tuple[Weights, ...], ...]
    pages: tuple[Weights, ...]
    last: tuple[Weights, Weights]

    def run(self, pieces: Pieces) -> Floats:
        """Return the log odds of each piece's outputs, shape (n, 11)."""
        if not len(pieces.near):
            return np.zeros((0, len(self.last[1])))
        brought = np.clip((pieces.features - self.middle) / self.scale, -_MOST, _MOST)
        state = np.maximum(_apply(self.first, brought.astype(np.float32)), 0.0)
        groups = [group.astype(np.float32) for group in pieces.groups]
        for k, (weight, bias, heard) in enumerate(self.rounds):
            total = _apply((weight, bias), state)
            if self.pages:
                total += state.mean(axis=0) @ self.pages[k]
            for way, own in enumerate(heard):
                near = pieces.near[:, way]
                total += np.where(near[:, None] >= 0, (state @ own)[near], np.float32(0.0))
            for group, own in zip(groups, self.groups[k], strict=True):
                total += (group @ state) @ own
            state = state + np.maximum(total, 0.0)
        return _apply(self.last, state).astype(np.float64)


def _apply(layer: tuple[Weights, Weights], state: Weights) -> Weights:
    weight, bias = layer
    out: Weights = state @ weight + bias
    return out


@cache
def load_roles(path: Path = _WEIGHTS) -> RoleNetwork:
    """Load the network that travels with the program."""
    with np.load(path) as data:
        arrays = {name: data[name].astype(np.float32) for name in data.files}
    for name in [n for n in arrays if n.endswith(".step")]:  # of weights in 8 bits, a row each
        arrays[name.replace(".step", ".weight")] *= arrays[name][:, None]

    def layer(name: str) -> tuple[Weights, Weights]:
        return arrays[f"net.{name}.weight"].T, arrays[f"net.{name}.bias"]

    count = sum(n.startswith("net.own.") and n.endswith(".bias") for n in arrays)
    rounds = tuple(
        (*layer(f"own.{k}"), tuple(arrays[f"net.heard.{k}.{way}.weight"].T for way in range(4)))
        for k in range(count)
    )
    groups = tuple(
        tuple(arrays[f"net.group.{k}.{n}.weight"].T for n in range(len(GROUPS)))
        for k in range(count)
    )
    pages = tuple(
        arrays[name].T for k in range(count) if (name := f"net.page.{k}.weight") in arrays
    )
    first, last = layer("first"), layer("last")
    return RoleNetwork(arrays["middle"], arrays["scale"], first, rounds, groups, pages, last)


ReadPieces: TypeAlias = Callable[[NDArray[np.float64], float], Sequence[str]]
"""Reads pieces: takes their boxes (px, shape (n, 4)) and the height of capitals (px)."""


def find_roles_reading(writing: Writing, rules: Sequence[Rule], read: ReadPieces | None) -> Roles:
    """Find roles, read the pieces in tables and close to them, and find roles anew.

    What a caption, a heading or a note says counts most.
    """
    pieces = measure_pieces(writing, rules)
    roles = judge_pieces(pieces)
    if read is None:
        return roles
    chosen = _choose_to_read(writing, roles)
    if len(chosen) == 0:
        return roles
    texts: list[str | None] = [None] * len(writing.boxes)
    said = read(writing.boxes[chosen], writing.cap_px)
    for number, text in zip(chosen.tolist(), said, strict=True):
        texts[number] = text or None
    return _judge_said(pieces, roles, texts)


def _judge_said(pieces: Pieces, unread: Roles, texts: Sequence[str | None]) -> Roles:
    """Return the roles of pieces whose texts are known; ``unread`` are those without the texts.

    Whether tables stand beside each other is told by where they stand. Texts only mislead there.
    """
    return replace(judge_pieces(pieces.with_texts(texts)), parted=unread.parted)


def _choose_to_read(writing: Writing, roles: Roles) -> NDArray[np.int64]:
    """Return the numbers of the pieces to be read: those in tables and close to them.

    First those that are not plainly in the body, then those of lines that may go on with the row
    before, or may not. A table of many pieces is not read to its end.
    """
    in_table = roles.in_table
    tabular = np.unique(writing.lines[in_table > _SOME])
    if len(tabular) == 0:
        return np.zeros(0, np.int64)
    away = np.abs(writing.lines[:, None] - tabular[None, :]).min(axis=1)
    plain = roles.roles[:, BODY] > _PLAINLY
    unsure = plain & (np.abs(roles.joins - 0.5) < _UNSURE)
    above = roles.near[unsure, _UP]
    unsure[above[above >= 0]] = True
    level = writing.boxes[:, 3] - writing.boxes[:, 1] <= _TALL_CAPS * writing.cap_px
    fit = np.flatnonzero((away <= _NEAR_LINES) & level)
    last = np.where(plain[fit], _NEAR_LINES + 2 - unsure[fit], away[fit])
    return fit[np.argsort(last, kind="stable")][:_MOST_READ]


def find_roles(
    writing: Writing, rules: Sequence[Rule], texts: Sequence[str | None] | None = None
) -> Roles:
    """Find the roles of a whole page's pieces of writing.

    Parameters
    ----------
    writing
        The page's writing, that in ruled tables too.
    rules
        The page's ruling lines.
    texts
        What each piece says, None where it is not known.
    """
    pieces = measure_pieces(writing, rules)
    roles = judge_pieces(pieces)
    return roles if texts is None else _judge_said(pieces, roles, texts)


def judge_pieces(pieces: Pieces) -> Roles:
    """Return the roles that the network gives to a page's pieces."""
    out = load_roles().run(pieces)
    raised = np.exp(out[:, :_ROLES] - out[:, :_ROLES].max(axis=1, keepdims=True, initial=-np.inf))
    chances = 1.0 / (1.0 + np.exp(-np.clip(out[:, _ROLES:], -30, 30)))
    share = raised / raised.sum(axis=1, keepdims=True)
    joins, begins, parted, spans, same_left, same_up = chances.T
    said = pieces.features[:, -TEXTS:]
    return Roles(share, joins, begins, parted, spans, same_left, same_up, pieces.near, said)
