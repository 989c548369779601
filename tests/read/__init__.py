"""Tests of read."""
