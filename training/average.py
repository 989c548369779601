"""Average the weights of two runs: what either learnt of unlike material reads better together.

Run as ``python -m training.average --of eleventh twelfth --name thirteenth``. Both must have
begun from the same weights, with their batch norms kept still, or their mean is neither (Wortsman
and others, "Model soups", ICML 2022).
"""

from __future__ import annotations

import logging
from collections.abc import Mapping

import click
import torch
from torch import Tensor

from training.train import RUN_DIR, save_checkpoint

log = logging.getLogger(__name__)


def average(
    first: Mapping[str, Tensor], second: Mapping[str, Tensor], share: float = 0.5
) -> dict[str, Tensor]:
    """Return the mean of two networks' weights; counters are the second's.

    ``share`` (0 to 1) is how much of the second there is in it.

    Raises
    ------
    ValueError
        Where the two are not of one design.
    """
    if {k: v.shape for k, v in first.items()} != {k: v.shape for k, v in second.items()}:
        msg = "Networks of two designs have no mean."
        raise ValueError(msg)
    return {
        name: (1 - share) * first[name] + share * own if own.is_floating_point() else own
        for name, own in second.items()
    }


@click.command()
@click.option("--of", "runs", nargs=2, required=True, help="The two runs.")
@click.option("--share", default=0.5, show_default=True, help="How much of the second there is.")
@click.option("--name", required=True, help="Names the folder of the mean.")
def main(runs: tuple[str, str], share: float, name: str) -> None:
    """Write the mean of two runs' last checkpoints as the checkpoint of a run."""
    logging.basicConfig(level=logging.INFO, format="%(message)s")
    first, second = (torch.load(RUN_DIR / r / "checkpoint.pt", weights_only=True) for r in runs)
    into = RUN_DIR / name
    into.mkdir(parents=True, exist_ok=True)
    state = {
        "net": average(first["net"], second["net"], share),
        "design": second["design"],
        "step": second["step"],
    }
    save_checkpoint(into / "checkpoint.pt", state)
    log.info("%s: the mean of %s", into / "checkpoint.pt", " and ".join(runs))


if __name__ == "__main__":
    main()
