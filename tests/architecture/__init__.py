"""Tests of architecture."""
