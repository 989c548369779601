"""Tests of synth."""
