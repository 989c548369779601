"""The stations, in the order of the line. A new one is its package and a line here."""

from __future__ import annotations

from keel_line.ui.gather.station import GatherStation
from keel_line.ui.proof.station import ProofStation
from keel_line.ui.rule.station import RuleStation
from keel_line.ui.send.station import SendStation
from keel_line.ui.square.station import SquareStation
from keel_line.ui.station import Station
from keel_line.ui.tidy.station import TidyStation

STATIONS: tuple[type[Station], ...] = (
    GatherStation,
    SquareStation,
    RuleStation,
    ProofStation,
    TidyStation,
    SendStation,
)
