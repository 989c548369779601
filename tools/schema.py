"""Write the schema of jigs from the code: ``make schema``."""

from __future__ import annotations

from pathlib import Path

import msgspec

import keel_line.tidy
from keel_line.tidy.jigs import Jig


def main() -> None:
    """Write it beside the module."""
    schema = msgspec.json.format(msgspec.json.encode(msgspec.json.schema(Jig)), indent=1)
    Path(keel_line.tidy.__file__).with_name("jig.schema.json").write_bytes(schema + b"\n")


if __name__ == "__main__":
    main()
