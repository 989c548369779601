"""Tests of training."""
