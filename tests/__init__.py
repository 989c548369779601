"""The project's tests; they mirror the source tree."""
