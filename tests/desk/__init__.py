"""Tests of desk."""
