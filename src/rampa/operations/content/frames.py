"""A few frames of packs, opened and kept; may be read from several threads."""

from __future__ import annotations

import threading
from collections import OrderedDict

from rampa.core.content.pack.places import FramePlace
from rampa.operations.base import Services
from rampa.operations.content.stored_trees import read_frame


class Frames:
    """Keeps the `most` frames that were read last."""

    def __init__(self, services: Services, most: int) -> None:
        self._services, self._most = services, most
        self._kept: OrderedDict[FramePlace, bytes] = OrderedDict()
        self._lock = threading.Lock()

    def read(self, frame: FramePlace) -> bytes:
        """The frame's content."""
        with self._lock:
            data = self._kept.get(frame)
            if data is not None:
                self._kept.move_to_end(frame)
                return data
        data = read_frame(self._services, frame)
        with self._lock:
            self._kept[frame] = data
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return data
