from __future__ import annotations

import copy
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

torch = pytest.importorskip("torch", reason="the training extra is not installed here")

from synth.lines import LineSample  # noqa: E402 - after the check for torch
from training.config import ALPHABET, Design, TrainConfig  # noqa: E402
from training.data import (  # noqa: E402
    collate,
    frame_classes,
    load_shard,
    reshape_letters,
    weigh_strokes,
)
from training.evaluate import read_greedily, score_lines, summarise  # noqa: E402
from training.export import WithProbabilities, fold_norms, write_whole  # noqa: E402
from training.net import LineNet, grow  # noqa: E402
from training.quantise import quantise  # noqa: E402
from training.render import save_shard  # noqa: E402
from training.reopen import read_weights, unfold_norms  # noqa: E402
from training.train import learning_rate, train  # noqa: E402

CONFIG = replace(
    TrainConfig(),
    steps=60,
    design=Design(32, ((5, 1), (5, 2)), 1),
    block_shards=1,
    check_every=20,
    batch_columns=1600,
    val_lines=0,
    peak_rate=4e-3,
)


@pytest.fixture
def material(tmp_path: Path) -> Path:
    """Twelve lines of bars: each character a stripe of its own height."""
    samples = []
    for text in ("1", "7", "17", "71", "11", "77", "171", "717", "1771", "7117", "17 1", "7 7"):
        width = 24 * len(text) + 24
        image = np.zeros((48, width), np.uint8)
        spans = np.array([(12 + 24 * i, 36 + 24 * i) for i in range(len(text))], np.float32)
        for i, char in enumerate(text):
            top = {"1": 8, "7": 24}.get(char)
            if top is not None:
                image[top:36, 18 + 24 * i : 30 + 24 * i] = 255
        samples.append(LineSample(image, text, spans, "number", "clean", "bars"))
    save_shard(tmp_path / "train-0000.npz", samples)
    return tmp_path


def test_shard_comes_back(material: Path) -> None:
    lines = load_shard(material / "train-0000.npz")
    assert len(lines) == 12
    assert lines[8].text == "1771"
    assert lines[8].image.shape == (48, 120)
    assert lines[8].spans.shape == (4, 2)


def test_steps_carry_the_character_over_its_middle(material: Path) -> None:
    line = load_shard(material / "train-0000.npz")[2]
    classes = frame_classes(line, line.image.shape[1] // 4, 4)
    assert read_greedily(classes[classes >= 0].tolist()) == "17"
    assert classes[0] == 0
    beside = np.flatnonzero(np.diff((classes > 0).astype(int), prepend=0) == 1) - 1
    assert (classes[beside] == -1).all()  # where a character begins is left open


def test_lines_without_places_are_left_out_of_the_frame_loss(material: Path) -> None:
    line = load_shard(material / "train-0000.npz")[2]
    nowhere = replace(line, spans=np.full_like(line.spans, np.nan))
    assert set(collate([nowhere], None).frames.unique().tolist()) == {-1}


def test_letters_change_their_shape_between_baseline_and_the_capitals_top(material: Path) -> None:
    pixels = collate(load_shard(material / "train-0000.npz"), None).pixels
    changed = reshape_letters(pixels, np.random.default_rng(2))
    assert changed.shape == pixels.shape
    assert float((changed - pixels).abs().mean()) > 0.001
    ink = pixels.sum(dim=3) > 0  # tops and feet stay in their rows
    assert torch.equal((changed.sum(dim=3) > 0.5)[:, :, 36:], ink[:, :, 36:])
    bolder, lighter = weigh_strokes(pixels, 0.8), weigh_strokes(pixels, -0.6)
    assert float(lighter.sum()) < float(pixels.sum()) < float(bolder.sum())


def test_tiny_net_learns_a_dozen_lines(material: Path, tmp_path: Path) -> None:
    torch.set_num_threads(1)
    net = train(replace(CONFIG, steps=150), 1, tmp_path / "run", material=material)
    figures = summarise(score_lines(net, load_shard(material / "train-0000.npz")))
    assert figures["all"]["right"] >= 75


def test_stop_and_resume_equals_straight_through(material: Path, tmp_path: Path) -> None:
    torch.set_num_threads(1)
    straight = train(CONFIG, 1, tmp_path / "a", material=material)
    train(CONFIG, 1, tmp_path / "b", material=material, stop_after=40)
    resumed = train(CONFIG, 1, tmp_path / "b", material=material)
    for a, b in zip(straight.parameters(), resumed.parameters(), strict=True):
        torch.testing.assert_close(a, b)


def test_rate_rises_then_falls() -> None:
    config = replace(CONFIG, steps=1000)
    rates = [learning_rate(config, s) for s in range(config.steps)]
    top = int(np.argmax(rates))
    assert 20 < top < 40
    assert rates[top:] == sorted(rates[top:], reverse=True)
    assert len(set(ALPHABET)) == len(ALPHABET)


def test_a_model_file_opens_as_the_checkpoint_it_came_from(material: Path, tmp_path: Path) -> None:
    design = replace(CONFIG.design, blocks=CONFIG.design.blocks[:1], style_after=-1)
    run = tmp_path / "small"
    small = train(replace(CONFIG, design=design), 1, run, material=material).eval()
    lines = load_shard(material / "train-0000.npz")
    pixels = collate(lines, None).pixels
    expected = small(pixels)
    folded = copy.deepcopy(small)
    fold_norms(folded)
    net = LineNet(len(ALPHABET) + 1, CONFIG.design)
    unfold_norms(net, folded.state_dict(), [pixels])
    net.eval()
    torch.testing.assert_close(net(pixels), expected, atol=1e-3, rtol=1e-3)
    net.train()
    net.drop.p = 0.0
    torch.testing.assert_close(net(pixels), expected, atol=0.05, rtol=0.05)


def test_a_network_grows_without_reading_otherwise(material: Path) -> None:
    small = LineNet(len(ALPHABET) + 1, Design(32, ((5, 1),), -1, 0)).eval()
    grown = LineNet(len(ALPHABET) + 1, CONFIG.design).eval()
    grow(grown, small.state_dict())
    pixels = collate(load_shard(material / "train-0000.npz"), None).pixels
    torch.testing.assert_close(grown(pixels), small(pixels))
    with pytest.raises(RuntimeError, match="no place"):
        grow(small, grown.state_dict())


def test_a_fine_stem_begins_as_the_coarse_one_read() -> None:
    coarse = LineNet(6, Design(32, ((5, 1),), -1, 0, fine=0)).eval()
    fine = LineNet(6, Design(32, ((5, 1),), -1, 0, fine=40)).eval()
    grow(fine, coarse.state_dict())
    pixels = torch.rand(2, 1, 48, 64)
    torch.testing.assert_close(fine(pixels), coarse(pixels))
    assert (fine.stem[0].weight[24:].abs().amax((1, 2, 3)) > 0).all(), "new channels may learn"


def test_a_stem_grows_taller_without_reading_otherwise() -> None:
    small = LineNet(6, Design(32, ((5, 1),), -1, 0)).eval()
    tall = LineNet(6, Design(32, ((5, 1),), -1, 0, upright=(1, 2, 1))).eval()
    grow(tall, small.state_dict())
    pixels = torch.rand(2, 1, 48, 64)
    torch.testing.assert_close(tall(pixels), small(pixels))
    assert tall(pixels).shape == (2, 16, 6)
    loss = tall(pixels).square().sum()
    loss.backward()
    lasts = [u.body[-1].weight for stage in tall.upright for u in stage]
    assert all((w.grad != 0).any() for w in lasts), "new blocks may learn"


@pytest.mark.filterwarnings("ignore::DeprecationWarning")
def test_eight_bits_read_as_the_whole_network_and_open_again(tmp_path: Path) -> None:
    torch.manual_seed(3)
    net = LineNet(6, Design(16, ((5, 1), (5, 1)), 0, upright=(1, 0, 1))).eval()
    for module in net.modules():
        if isinstance(module, torch.nn.BatchNorm2d):
            torch.nn.init.normal_(module.bias, std=0.1)
    fold_norms(net)
    whole, target = tmp_path / "whole.onnx", tmp_path / "reader.onnx"
    rng = np.random.default_rng(4)
    lines = [rng.integers(0, 256, (48, 80 + 16 * i)).astype(np.uint8) for i in range(16)]
    model = write_whole(net, whole)
    quantise(model, lines, target)
    picture = torch.from_numpy(lines[3] / np.float32(255))[None, None]
    with torch.no_grad():
        wanted = WithProbabilities(net)(picture).numpy()
    import onnxruntime  # noqa: PLC0415 - only where the training extra is

    session = onnxruntime.InferenceSession(str(target), providers=["CPUExecutionProvider"])
    (found,) = session.run(None, {"lines": picture.numpy()})
    np.testing.assert_allclose(found, wanted, atol=0.05)
    again = read_weights(target)
    for name, values in net.state_dict().items():
        np.testing.assert_allclose(again[name], values, atol=float(values.abs().max()) / 50)
