"""The network that tells roles of pieces of writing: it learns, and the product runs it alike."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from scipy import sparse

torch = pytest.importorskip("torch")

from keel_line.rule.pieces import FEATURES, GROUPS, Pieces  # noqa: E402
from keel_line.rule.roles import load_roles  # noqa: E402
from keel_line.rule.sayings import TEXTS  # noqa: E402
from training.rolenet import (  # noqa: E402
    OUTPUTS,
    ROLES,
    Graph,
    RoleNet,
    choose_texts,
    export,
    keep_some,
    load_weights,
    loss_of,
    measure,
    write_mean,
)


def chain(count: int, seed: int) -> Graph:
    """A column of pieces; those whose first measure is positive are body, the others outside."""
    torch.manual_seed(seed)
    features = torch.randn(count, FEATURES)
    near = torch.full((count, 4), -1)
    near[1:, 0] = torch.arange(count - 1)
    near[:-1, 1] = torch.arange(1, count)
    labels = torch.full((count, 5), -1)
    labels[:, 0] = torch.where(features[:, 0] > 0, 3, 0)
    above = np.tril(np.ones((count, count), np.float32), -1)
    above /= np.maximum(above.sum(axis=1, keepdims=True), 1)
    groups = (sparse.csr_array(above),) * len(GROUPS)
    some = torch.zeros(count, TEXTS)
    return Graph(features, near, groups, labels, ink=False, manual=False, some=some)


def one_page(graph: Graph) -> torch.Tensor:  # type: ignore[name-defined]
    return torch.zeros(len(graph.near), dtype=torch.long)


def test_a_small_network_learns_a_plain_rule() -> None:
    torch.manual_seed(2)
    net = RoleNet(FEATURES, width=16, rounds=1, page=False)
    steps = torch.optim.Adam(net.parameters(), 1e-2)
    graph = chain(200, 1)
    for _ in range(80):
        steps.zero_grad()
        outputs = net(graph.features, graph.near, graph.groups, one_page(graph))
        loss_of(outputs, graph.labels, torch.ones(200)).backward()
        steps.step()
    assert measure(net, [graph])["roles"] > 0.98


@pytest.mark.parametrize("page", [False, True])
def test_the_product_runs_an_exported_network_alike(tmp_path: Path, *, page: bool) -> None:
    torch.manual_seed(3)
    net = RoleNet(FEATURES, width=8, rounds=2, page=page).eval()
    for layer in (layer for own in net.group for layer in own):
        torch.nn.init.normal_(layer.weight, std=0.2)
    graph = chain(30, 4)
    middle, scale = np.zeros(FEATURES), np.ones(FEATURES)
    export(net, middle, scale, tmp_path / "roles.npz")
    with torch.no_grad():
        features = graph.features.clamp(-6, 6)
        wanted = net(features, graph.near, graph.groups, one_page(graph)).numpy()
    pieces = Pieces(graph.features.numpy().astype(float), graph.near.numpy(), graph.groups)
    found = load_roles(tmp_path / "roles.npz").run(pieces)
    assert found.shape == (30, OUTPUTS)
    assert np.abs(found[:, :ROLES] - wanted[:, :ROLES]).max() < 0.05
    # Rare outputs weigh more in training; the export takes that out again.
    assert (found[:, ROLES + 1] < wanted[:, ROLES + 1]).all()


def test_weights_that_were_written_are_gone_on_from(tmp_path: Path) -> None:
    torch.manual_seed(6)
    net = RoleNet(FEATURES, width=8, rounds=2, page=True)
    path = tmp_path / "roles.npz"
    export(net, np.zeros(FEATURES), np.ones(FEATURES), path)
    again = RoleNet(FEATURES, width=8, rounds=2, page=True)
    load_weights(again, path)
    for name, values in net.state_dict().items():
        assert np.allclose(values, again.state_dict()[name], atol=0.02), name


def test_the_mean_of_two_files_of_weights_lies_between_them(tmp_path: Path) -> None:
    files = [tmp_path / name for name in ("first.npz", "second.npz", "mean.npz")]
    scale = np.ones(FEATURES)
    for seed, path in enumerate(files[:2]):
        torch.manual_seed(seed)
        export(RoleNet(FEATURES, 16, 2, page=True), 0 * scale, scale, path)
    write_mean(files[0], files[1], 0.25, files[2])
    first, second, mean = (RoleNet(FEATURES, 16, 2, page=True) for _ in range(3))
    for net, path in zip((first, second, mean), files, strict=True):
        load_weights(net, path)
    wanted = 0.75 * first.first.weight + 0.25 * second.first.weight
    assert torch.allclose(mean.first.weight, wanted, atol=2e-3)
    assert not torch.allclose(mean.first.weight, first.first.weight, atol=2e-2)


def test_what_is_known_of_a_page_is_some_of_its_texts() -> None:
    rng = np.random.default_rng(1)
    known = [sum(t is not None for t in keep_some(["said"] * 60, rng)) for _ in range(50)]
    assert min(known) < 15
    assert max(known) > 45
    assert keep_some([None, None], rng) == [None, None]


def test_a_page_is_learnt_with_all_its_texts_with_some_and_with_none() -> None:
    graph = replace(chain(5, 1), ink=True, some=torch.full((5, TEXTS), 2.0))
    hidden, rng = torch.full((TEXTS,), 1.0), np.random.default_rng(1)
    seen = [choose_texts(graph, hidden, rng).features for _ in range(60)]
    assert all(torch.equal(f[:, :-TEXTS], graph.features[:, :-TEXTS]) for f in seen)
    kinds = [float(f[0, -1]) for f in seen]
    assert set(kinds) == {1.0, 2.0, float(graph.features[0, -1])}
    assert kinds.count(2.0) > 30
