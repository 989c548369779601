"""Lays a page straight: its skew found and removed, its proportions true, in one resampling."""
