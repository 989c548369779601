"""Keel Line turns scanned paper tables into checked spreadsheets."""

import os

__version__ = "0.2.0.dev0"

# onnxruntime reports to its maker unless this is set before its first import, in every process.
os.environ["ORT_DISABLE_TELEMETRY"] = "1"
