"""Measures accuracy, speed and memory on faces that training and tuning never saw."""
