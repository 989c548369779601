"""The Proof station: lens, interline, soundings, and the readings offered."""
