"""Trains the recogniser on lines that the project renders itself."""
