"""The docket: one saved piece of work in an SQLite file that is consistent at every moment."""
