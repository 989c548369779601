"""Tests of send."""
