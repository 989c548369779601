"""Qt's test functions; their type stubs take them for methods, so they go untyped here."""

from __future__ import annotations

from typing import Any

from PyQt6.QtTest import QTest as _QTest

QTest: Any = _QTest
