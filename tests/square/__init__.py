"""Tests of square."""
