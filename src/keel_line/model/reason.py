"""Why something was done, as a short code that lasts; its words are made for the screen."""

from __future__ import annotations

from dataclasses import dataclass

from typing_extensions import override

_WORDS = {
    "accepted": "accepted as read",
    "accepted-fits": "accepted as read, as its check expects",
    "chosen": "reading {} taken",
    "chosen-fits": "reading {} taken, as its check expects",
    "typed": "typed",
    "emptied": "emptied",
    "as-printed": "the paper says so",
    "kind": "settled with its kind: {}",
    "sample-right": "spot check: right",
    "sample-corrected": "spot check: corrected",
    "script": "by a script",
    "sum-set": "sum set by hand",
    "sum-dropped": "no total",
    "squared": "squared by hand",
    "squared-all": "the same for every page",
    "parted": "parted into two pages",
    "joined": "one page again",
    "taken-out": "{} taken out",
    "put-back": "table laid back",
    "lines": "lines edited by hand",
    "lines-found": "lines as found",
    "lines-copied": "lines of page {} laid on",
    "lines-checked": "lines checked",
    "form-lines": "lines of the form “{}” laid on",
    "form-sums": "sums of the form “{}” set",
    "edition": "as in the earlier edition",
    "heading": "heading rows set",
    "named": "named",
    "step-taken": "step: {}",
    "step-changed": "step changed: {}",
    "step-moved": "step moved: {}",
    "step-off": "step switched off: {}",
    "step-on": "step switched on: {}",
    "step-out": "step taken out: {}",
    "declined": "not wanted: {}",
    "undone": "undone",
    "redone": "redone",
    "said": "{}",
}
CODES = frozenset(_WORDS)
"""All codes. ``said`` is a sentence of a docket from before there were codes."""


@dataclass(frozen=True)
class Reason:
    """Why something was done: one of ``CODES``, and what its words leave open."""

    code: str
    detail: str = ""

    def __post_init__(self) -> None:
        if self.code not in CODES:
            raise ValueError(self.code)

    @override
    def __str__(self) -> str:
        return _WORDS[self.code].format(self.detail)


ACCEPTED, TYPED = Reason("accepted"), Reason("typed")
