"""The Send station: what is still open, what to write, and where to."""
