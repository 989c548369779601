"""Tests of docket."""
