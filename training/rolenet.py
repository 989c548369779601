"""Trains the network that tells the roles of pieces of writing, and what joins and parts them.

Run as ``python -m training.rolenet --steps 4000``; the weights go to ``rule/data/roles.npz``. With
``--mean FIRST SECOND`` nothing is trained: the mean of two files of weights goes there.
"""

from __future__ import annotations

import argparse
import json
import sys
import zlib
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, TypeAlias

import numpy as np
import torch
from numpy.typing import NDArray
from scipy import sparse
from torch import nn

from keel_line.rule.pieces import GROUPS, Pieces, measure_pieces
from keel_line.rule.sayings import TEXTS
from training.average import average
from training.roles import KEPT, MATERIAL, load_page_kept

WEIGHTS = (
    Path(__file__).resolve().parent.parent / "src" / "keel_line" / "rule" / "data" / "roles.npz"
)
ROLES = 5
LINKS = ("joins", "begins", "parted", "spans", "same_left", "same_up")
OUTPUTS = ROLES + len(LINKS)
_HELD, _PROCESSES, _MEASURE_EVERY = 10, 2, 1000
_MISSING = 0.04
_MOST_8_BITS, _LEAST_STEP = 127, 1e-4
_RARE = (1.0, 8.0, 8.0, 2.0, 2.0, 1.0)
_NONE, _SOME = 0.08, 0.15  # shares of pages in files of which no text is told, or some
_NONE_ON_PAPER, _SOME_ON_PAPER = 0.3, 0.55
_SHARE_READ = (0.05, 0.95)

Floats: TypeAlias = NDArray[np.float32]
Ints: TypeAlias = NDArray[np.int64]


@dataclass(frozen=True)
class Graph:
    """A page's pieces; see ``training.roles.render`` and ``training.manuals.pages.render``.

    ``features`` tell what all pieces say, where it is known. ``some`` are the last of them, shape
    (n, TEXTS), where only some pieces were read, as on paper.
    """

    features: torch.Tensor
    near: torch.Tensor
    groups: tuple[sparse.csr_array, ...]
    labels: torch.Tensor
    ink: bool
    manual: bool
    some: torch.Tensor

    def told(self, texts: torch.Tensor) -> Graph:
        """Return the graph with other measures of what its pieces say, shape (n, TEXTS)."""
        return replace(self, features=torch.cat([self.features[:, :-TEXTS], texts], dim=1))


class _Mean(torch.autograd.Function):
    """The means of states over groups: a sparse matrix, and its transpose for the way back."""

    @staticmethod
    def forward(ctx: Any, state: torch.Tensor, group: sparse.csr_array) -> torch.Tensor:
        ctx.group = group
        return torch.from_numpy(group @ state.detach().numpy())

    @staticmethod
    def backward(ctx: Any, back: torch.Tensor) -> tuple[torch.Tensor, None]:  # type: ignore[override]
        return torch.from_numpy(ctx.group.T @ back.numpy()), None


class RoleNet(nn.Module):
    """A network over pieces of writing that hears their neighbours, round after round."""

    def __init__(
        self, features: int, width: int = 56, rounds: int = 6, *, lost: float = 0.0, page: bool
    ) -> None:
        super().__init__()
        self.lost = nn.Dropout(lost)
        self.first = nn.Linear(features, width)
        self.own = nn.ModuleList(nn.Linear(width, width) for _ in range(rounds))
        self.heard = nn.ModuleList(
            nn.ModuleList(nn.Linear(width, width, bias=False) for _ in range(4))
            for _ in range(rounds)
        )
        self.group = nn.ModuleList(
            nn.ModuleList(nn.Linear(width, width, bias=False) for _ in GROUPS)
            for _ in range(rounds)
        )
        for layer in (layer for own in self.group for layer in own):
            nn.init.zeros_(layer.weight)  # so that weights without groups can be gone on from
        count = rounds if page else 0
        self.page = nn.ModuleList(nn.Linear(width, width, bias=False) for _ in range(count))
        self.last = nn.Linear(width, OUTPUTS)

    def forward(
        self,
        features: torch.Tensor,
        near: torch.Tensor,
        groups: Sequence[sparse.csr_array],
        pages: torch.Tensor,
    ) -> torch.Tensor:
        """Return the outputs of each piece, shape (n, OUTPUTS), as log odds.

        ``pages`` has the number of each piece's page, from 0; with ``page`` a piece hears the mean
        of its page as well.
        """
        counts = torch.bincount(pages)[:, None].clamp(min=1)
        state = torch.relu(self.first(features))
        none = near < 0
        for k, (own, heard) in enumerate(zip(self.own, self.heard, strict=True)):
            total = own(state)
            if len(self.page):
                mean = torch.zeros(len(counts), state.shape[1]).index_add(0, pages, state) / counts
                total = total + self.page[k](mean)[pages]
            for way, layer in enumerate(heard):
                said = layer(state)[near[:, way].clamp(min=0)]
                total = total + said.masked_fill(none[:, way : way + 1], 0.0)
            for layer, group in zip(self.group[k], groups, strict=True):
                total = total + layer(_Mean.apply(state, group))
            state = state + self.lost(torch.relu(total))
        return self.last(state)


def load_graphs(paths: Sequence[Path]) -> list[Graph]:
    """Load all pages of some files, and measure their pieces."""
    with ProcessPoolExecutor(_PROCESSES) as pool:
        measured = [page for pages in pool.map(_measure_file, paths) for page in pages]
    return [
        Graph(
            torch.from_numpy(pieces.features.astype(np.float32)),
            torch.from_numpy(pieces.near),
            tuple(g.astype(np.float32) for g in pieces.groups),
            torch.from_numpy(labels),
            ink,
            manual,
            torch.from_numpy(some.astype(np.float32)),
        )
        for pieces, some, labels, ink, manual in measured
    ]


def _measure_file(path: Path) -> list[tuple[Pieces, NDArray[np.float64], Ints, bool, bool]]:
    """Return the pieces of each page of a file, what some of them say, and their labels.

    And whether it is ink, and whether it is of a manual.
    """
    manual = path.name.startswith("manual")
    data = np.load(path)
    count = sum(name.endswith("_labels") for name in data.files)
    rng = np.random.default_rng(zlib.crc32(path.stem.encode()))
    out = []
    for k in range(count):
        page = {n: data[f"{k}_{n}"] for n in KEPT}
        writing, rules, texts = load_page_kept(page)
        labels = page["labels"].astype(np.int64)
        pieces = measure_pieces(writing, rules, texts)
        told = keep_some(texts or [None] * len(labels), rng)
        some = pieces.with_texts(told).features[:, -TEXTS:]
        out.append((pieces, some, labels, bool(page["ink"]), manual))
    return out


def keep_some(texts: Sequence[str | None], rng: np.random.Generator) -> list[str | None]:
    """Return what some pieces say, whatever their roles: what is known must not tell the role."""
    share = rng.uniform(*_SHARE_READ)
    read = (rng.random(len(texts)) < share).tolist()
    return [text if known else None for text, known in zip(texts, read, strict=True)]


def join_graphs(
    graphs: Sequence[Graph],
) -> tuple[
    torch.Tensor,
    torch.Tensor,
    list[sparse.csr_array],
    torch.Tensor,
    torch.Tensor,
    torch.Tensor,
]:
    """Return some graphs as one: features, neighbours, groups, labels, weights, page of each."""
    features, near, labels, weights = [], [], [], []
    pages: list[torch.Tensor] = []
    first = 0
    for graph in graphs:
        own = graph.features
        features.append(own)
        near.append(torch.where(graph.near >= 0, graph.near + first, graph.near))
        labels.append(graph.labels)
        weights.append(torch.full((len(own),), 1.0 / max(20.0, len(own) ** 0.5)))
        pages.append(torch.full((len(own),), len(pages)))
        first += len(own)
    groups = [
        sparse.block_diag([g.groups[k] for g in graphs], format="csr") for k in range(len(GROUPS))
    ]
    return (
        torch.cat(features),
        torch.cat(near),
        groups,
        torch.cat(labels),
        torch.cat(weights),
        torch.cat(pages),
    )


def choose_texts(graph: Graph, hidden: torch.Tensor, rng: np.random.Generator) -> Graph:
    """Return a graph as it may be known: with what all pieces say, some of them, or none."""
    none, some = (_NONE_ON_PAPER, _SOME_ON_PAPER) if graph.ink else (_NONE, _SOME)
    chance = rng.random()
    if chance >= none + some:
        return graph
    return graph.told(hidden.expand(len(graph.features), -1) if chance < none else graph.some)


def loss_of(outputs: torch.Tensor, labels: torch.Tensor, weights: torch.Tensor) -> torch.Tensor:
    """Return the sum of all outputs' cross entropies, weighed by page."""
    known = labels[:, 0] >= 0
    role = nn.functional.cross_entropy(outputs[known, :ROLES], labels[known, 0], reduction="none")
    total = (role * weights[known]).sum() / weights[known].sum()
    for k in range(1, labels.shape[1]):
        own = labels[:, k] >= 0
        if own.any():
            loss = nn.functional.binary_cross_entropy_with_logits(
                outputs[own, ROLES + k - 1],
                labels[own, k].float(),
                reduction="none",
                pos_weight=torch.tensor(_RARE[k - 1]),
            )
            total = total + (loss * weights[own]).sum() / weights[own].sum()
    return total


@torch.no_grad()  # type: ignore[untyped-decorator]
def measure(net: RoleNet, graphs: Sequence[Graph]) -> dict[str, float]:
    """Return how often roles are right, on how many pages all are, and which links are wrong."""
    right = pieces = pages = 0
    links = np.zeros((len(LINKS), 2), int)
    for graph in graphs:
        one = torch.zeros(len(graph.near), dtype=torch.long)
        read = graph.told(graph.some) if graph.ink else graph
        outputs = net(read.features, graph.near, graph.groups, one)
        known = graph.labels[:, 0] >= 0
        hit = outputs[:, :ROLES].argmax(1) == graph.labels[:, 0]
        right += int(hit[known].sum())
        pieces += int(known.sum())
        pages += bool(hit[known].all())
        asked = graph.labels[:, 1:]  # of early pages not all links were kept
        count = asked.shape[1]
        likely = (outputs[:, ROLES:] > torch.log(torch.tensor(_RARE)))[:, :count]
        wrong = (likely != (asked > 0)) & (asked >= 0)
        links[:count] += np.column_stack([wrong.sum(0).numpy(), (asked >= 0).sum(0).numpy()])
    return {
        "roles": right / max(1, pieces),
        "pages": pages / max(1, len(graphs)),
        **{f"{n} wrong": w / max(1, k) for n, (w, k) in zip(LINKS, links.tolist(), strict=True)},
    }


def export(
    net: RoleNet, middle: NDArray[np.floating], scale: NDArray[np.floating], path: Path
) -> None:
    """Write the weights in 8 bits, with what features are brought to first.

    Each row of a layer has a step of its own.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    arrays: dict[str, Any] = {}
    for name, values in net.state_dict().items():
        own = values.numpy()
        if name.endswith(".weight"):
            steps = np.maximum(np.abs(own).max(axis=1) / _MOST_8_BITS, _LEAST_STEP)
            steps = steps.astype(np.float16)
            arrays[f"net.{name.replace('.weight', '.step')}"] = steps
            own = np.round(own / steps[:, None].astype(np.float32))
            arrays[f"net.{name}"] = own.clip(-_MOST_8_BITS, _MOST_8_BITS).astype(np.int8)
        else:
            arrays[f"net.{name}"] = own.astype(np.float16)
    # What is rare weighs more in training; its chance is what it is.
    arrays["net.last.bias"][ROLES:] -= np.log(_RARE).astype(np.float16)
    np.savez_compressed(
        path, middle=middle.astype(np.float32), scale=scale.astype(np.float32), **arrays
    )


def load_weights(net: RoleNet, path: Path) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Load weights that :func:`export` wrote; return what features are brought to first."""
    with np.load(path) as data:
        kept = {k: data[k].astype(np.float32) for k in data.files}
    for name in [k for k in kept if k.endswith(".step")]:
        kept[name.replace(".step", ".weight")] *= kept.pop(name)[:, None]
    state = {k[4:]: torch.from_numpy(v) for k, v in kept.items() if k.startswith("net.")}
    state["last.bias"][ROLES:] += torch.log(torch.tensor(_RARE))
    net.load_state_dict(state)
    return kept["middle"], kept["scale"]


def write_mean(first: Path, second: Path, share: float, out: Path) -> None:
    """Write the mean of two files of weights; ``share`` (0 to 1) is how much of the second it has.

    One must have begun with the other, or both with the same; see ``training.average``.
    """
    (one, middle, scale), (other, *_) = _load_net(first), _load_net(second)
    one.load_state_dict(average(one.state_dict(), other.state_dict(), share))
    export(one, middle, scale, out)


def _load_net(path: Path) -> tuple[RoleNet, NDArray[np.float32], NDArray[np.float32]]:
    """Return a network as wide as its weights, and what features are brought to first."""
    with np.load(path) as data:
        width, features = data["net.first.weight"].shape
        rounds = sum(n.startswith("net.own.") and n.endswith(".weight") for n in data.files)
        page = "net.page.0.weight" in data.files
    net = RoleNet(features, width, rounds, page=page)
    return (net, *load_weights(net, path))


def _parse() -> argparse.Namespace:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--steps", type=int, default=4000)
    parser.add_argument("--width", type=int, default=56)
    parser.add_argument("--rounds", type=int, default=6)
    parser.add_argument("--batch", type=int, default=12)
    parser.add_argument("--rate", type=float, default=2e-3)
    parser.add_argument("--page", action="store_true", help="pieces hear the mean of their page")
    parser.add_argument("--ink", type=float, help="share of pages on paper; as they come without")
    parser.add_argument("--manuals", type=float, help="share of pages of manuals")
    parser.add_argument("--begin", type=Path, help="weights to go on from")
    parser.add_argument("--mean", type=Path, nargs=2, help="write the mean of these weights")
    parser.add_argument("--share", type=float, default=0.5, help="of the second in the mean")
    parser.add_argument("--out", type=Path, default=WEIGHTS)
    return parser.parse_args()


def main() -> None:
    """Train, print figures, and write the weights."""
    args = _parse()
    if args.mean is not None:
        first, second = args.mean
        write_mean(first, second, args.share, args.out)
        return
    torch.manual_seed(1)
    torch.set_num_threads(2)
    rng = np.random.default_rng(1)
    paths = sorted(p for p in MATERIAL.glob("*.npz") if ".part" not in p.name)
    held = load_graphs(paths[::_HELD])
    graphs = load_graphs([p for k, p in enumerate(paths) if k % _HELD])
    every = np.concatenate([g.features.numpy() for g in graphs])
    middle, scale = every.mean(axis=0), every.std(axis=0) + 1e-3
    net = RoleNet(every.shape[1], args.width, args.rounds, lost=0.15, page=args.page)
    if args.begin is not None:
        middle, scale = load_weights(net, args.begin)

    def brought(items: list[Graph]) -> list[Graph]:
        less, by = torch.from_numpy(middle), torch.from_numpy(scale)
        return [
            replace(
                g,
                features=((g.features - less) / by).clamp(-6, 6),
                some=((g.some - less[-TEXTS:]) / by[-TEXTS:]).clamp(-6, 6),
            )
            for g in items
        ]

    hidden = torch.from_numpy((-middle / scale)[-TEXTS:]).clamp(-6, 6)
    graphs, held = brought(graphs), brought(held)
    sys.stdout.write(f"{len(graphs)} pages to train on, {len(held)} held out\n")
    chances = np.ones(len(graphs)) / len(graphs)
    of_manuals = np.array([g.manual for g in graphs])
    for own, share in ((np.array([g.ink for g in graphs]), args.ink), (of_manuals, args.manuals)):
        if share is not None:
            have = chances[own].sum()
            chances *= np.where(own, share / have, (1 - share) / (1 - have))
    mean = torch.optim.swa_utils.AveragedModel(
        net, multi_avg_fn=torch.optim.swa_utils.get_ema_multi_avg_fn(0.998)
    )
    best = torch.optim.AdamW(net.parameters(), args.rate, weight_decay=1e-3)
    plan = torch.optim.lr_scheduler.OneCycleLR(best, args.rate, total_steps=args.steps)
    for step in range(args.steps):
        chosen = rng.choice(len(graphs), size=args.batch, p=chances)
        features, near, groups, labels, weights, pages = join_graphs(
            [choose_texts(graphs[k], hidden, rng) for k in chosen]
        )
        features = features * (1.0 + 0.05 * torch.randn_like(features))
        # Each measure is missing now and then, so that none is relied on by itself.
        features = features * (torch.rand(1, features.shape[1]) > _MISSING)
        features = features * (torch.rand(len(features), features.shape[1]) > _MISSING)
        loss = loss_of(net(features, near, groups, pages), labels, weights)
        best.zero_grad()
        loss.backward()
        nn.utils.clip_grad_norm_(net.parameters(), 1.0)
        best.step()
        plan.step()
        mean.update_parameters(net)
        if (step + 1) % _MEASURE_EVERY == 0 or step + 1 == args.steps:
            own = mean.module.eval()
            said = {
                "step": step + 1,
                "loss": round(float(loss.detach()), 4),
                "digital": measure(own, [g for g in held if not g.ink and not g.manual]),
                "ink": measure(own, [g for g in held if g.ink and not g.manual]),
                "manuals": measure(own, [g for g in held if g.manual]),
            }
            sys.stdout.write(json.dumps(said) + "\n")
            sys.stdout.flush()
            export(own, middle, scale, args.out)
            own.train()


if __name__ == "__main__":
    main()
