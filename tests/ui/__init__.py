"""Tests of ui."""
