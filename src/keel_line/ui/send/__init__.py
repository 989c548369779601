"""The Send station: open questions, file format, and target."""
