"""Runs the stations over a docket, with progress, cancel, undo and sending."""
