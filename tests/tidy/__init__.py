"""Tests of tidying."""
