"""Cross-checks of a table: sums, series, forms and closed lists. Returns Findings."""
