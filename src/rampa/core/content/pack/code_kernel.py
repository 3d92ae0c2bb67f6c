"""The compiled kernel that turns programs, where there is one: no C compiler when Rampa was installed, no kernel."""

from __future__ import annotations

import importlib
from typing import Any

kernel: Any
try:
    kernel = importlib.import_module("rampa.core.content.pack._code_kernel")
except ImportError:
    kernel = None
