"""What a table is: sums, series, forms and lists that its cells must keep; returns Findings."""
