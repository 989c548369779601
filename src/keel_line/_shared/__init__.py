"""Numerics that two stations need."""
