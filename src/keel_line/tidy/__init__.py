"""Makes of a checked table what somebody can sort, sum and send."""
