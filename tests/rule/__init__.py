"""Tests of rule."""
