"""Reads the ink of each cell: lines, recogniser, decoding, confidence, ink account."""
