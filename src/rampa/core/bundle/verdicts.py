"""What is said of each signature scheme of a bundle, apart from the readers, which take their time to load."""

from __future__ import annotations

HOLDS, BROKEN, ABSENT = "holds", "broken", "absent"
