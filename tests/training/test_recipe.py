"""The recipe that makes the weights: every command in it is one that is taken."""

from __future__ import annotations

import importlib
import shlex
from pathlib import Path

import click
import pytest

pytest.importorskip("torch", reason="the training extra is not installed here")

ROOT = Path(__file__).resolve().parent.parent.parent
RECIPE = ROOT / "training" / "reproduce.sh"


def read_commands() -> list[list[str]]:
    """Return the words of each ``$python -m MODULE …`` in the recipe, the module first."""
    lines = RECIPE.read_text(encoding="utf-8").replace("\\\n", " ").splitlines()
    words = [shlex.split(line.rstrip("& ")) for line in lines if line.startswith("$python -m")]
    return [own[2:] for own in words]


@pytest.mark.parametrize("words", read_commands(), ids=lambda w: " ".join(w)[:60])
def test_every_command_of_the_recipe_is_taken(
    words: list[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    for word in words[1:]:
        if word.endswith("checkpoint.pt"):  # what an earlier step leaves
            (tmp_path / word).parent.mkdir(parents=True)
            (tmp_path / word).touch()
    command = importlib.import_module(words[0]).main
    assert isinstance(command, click.Command)
    with command.make_context(words[0], list(words[1:])) as context:
        assert not context.args


def test_each_stage_begins_from_one_that_is_there() -> None:
    there: set[str] = set()
    for words in read_commands():
        after = dict(zip(words, words[1:], strict=False))
        needed = {after["--init"]} if "--init" in words else set()
        if words[0] == "training.average":
            at = words.index("--of")
            needed = {words[at + 1], words[at + 2]}
        if words[0] == "training.export":
            needed = {Path(words[1]).parent.name}
        assert needed <= there, words
        if "--name" in words:
            there.add(after["--name"])
    assert "fifteenth" in there
