"""Tests of check."""
