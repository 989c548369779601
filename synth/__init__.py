"""Made pages and lines with their truth, for training, demo, benchmarks and tests."""
