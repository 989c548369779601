"""The mean of two runs' weights."""

from __future__ import annotations

from pathlib import Path

import pytest

torch = pytest.importorskip("torch", reason="the training extra is not installed here")

from click.testing import CliRunner  # noqa: E402 - after the check for torch

from training import average as mixing  # noqa: E402


def test_weights_are_averaged_and_counters_kept() -> None:
    first = {"w": torch.tensor([0.0, 2.0]), "seen": torch.tensor(3)}
    second = {"w": torch.tensor([1.0, 4.0]), "seen": torch.tensor(7)}
    mean = mixing.average(first, second)
    assert mean["w"].tolist() == [0.5, 3.0]
    assert mean["seen"].item() == 7
    assert mixing.average(first, second, 0.25)["w"].tolist() == [0.25, 2.5]


@pytest.mark.parametrize("other", [{"w": torch.zeros(3)}, {"v": torch.zeros(2)}])
def test_unlike_networks_have_no_mean(other: dict[str, object]) -> None:
    with pytest.raises(ValueError, match="no mean"):
        mixing.average({"w": torch.zeros(2)}, other)


def test_a_mean_is_a_run_of_its_own(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(mixing, "RUN_DIR", tmp_path)
    for run, weight, step in (("one", 1.0, 10), ("two", 3.0, 20)):
        (tmp_path / run).mkdir()
        state = {"net": {"w": torch.tensor([weight])}, "design": {"channels": 8}, "step": step}
        torch.save(state, tmp_path / run / "checkpoint.pt")
    done = CliRunner().invoke(mixing.main, ["--of", "one", "two", "--name", "mean"])
    assert done.exit_code == 0
    more = ["--of", "one", "two", "--share", "0.75", "--name", "more"]
    assert CliRunner().invoke(mixing.main, more).exit_code == 0
    state = torch.load(tmp_path / "mean" / "checkpoint.pt", weights_only=True)
    assert state["net"]["w"].item() == 2.0
    more_state = torch.load(tmp_path / "more" / "checkpoint.pt", weights_only=True)
    assert more_state["net"]["w"].item() == 2.5
    assert state["design"] == {"channels": 8}
    assert state["step"] == 20
