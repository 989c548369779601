"""Tests of gather."""
