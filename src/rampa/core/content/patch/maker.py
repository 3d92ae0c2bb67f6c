"""Making and applying one difference: new content from old content that resembles it."""

from __future__ import annotations

from rampa.core.binaries.segments import HEAD, read_image
from rampa.core.content.patch import format as difference_format
from rampa.core.content.patch.format import Parts
from rampa.core.errors import Damaged

try:
    from rampa.core.content.patch import _kernel  # type: ignore[attr-defined]
except ImportError:  # no C compiler when it was installed
    _kernel = None

LEVEL = 19
"""Of zstd: made once for all devices, and a twelfth smaller than at level 9."""
FIRST, SECOND = (8, 22), (4, 26)
"""(bytes between seeds, how many of 32 bytes must match to go on), for the first and the second pass."""


def available() -> bool:
    """Whether this machine has the compiled kernel: without it devices take plain chunks, and services make no differences."""
    return _kernel is not None


def make(
    old: bytes | memoryview,
    new: bytes | memoryview,
    *,
    old_head: bytes | None = None,
    new_head: bytes | None = None,
    old_start: int = 0,
    new_start: int = 0,
    level: int = LEVEL,
    dense: bool = False,
) -> bytes:
    """The difference that makes `new` of `old`, each at most `format.CONTENT_LIMIT` bytes. `dense`: as small as it gets, in
    version 2 of the format.

    They may be windows of larger files, that begin at `old_start` and `new_start`; the heads are then the first bytes of
    the files themselves. Applying it is not checked here.
    """
    old_image = read_image(old_head if old_head is not None else old[:HEAD])
    new_image = read_image(new_head if new_head is not None else new[:HEAD])
    images = None
    # Addresses are only predicted between programs of one machine: across two, every prediction is noise.
    if old_image and new_image and old_image.machine == new_image.machine:
        images = (old_image, old_start, new_image, new_start)
    if images is None:
        rows = _kernel.match(old, new, *FIRST)
        mask, extras, gaps, tokens = _kernel.explain(rows, old, new, None, None)
    else:
        pair = images[0].window(old_start, len(old)), images[2].window(new_start, len(new))
        rows = _kernel.match(old, new, *FIRST)
        # The first pass finds where code moved to; with the addresses made as they are there, the second sees far
        # longer matches.
        moved = _kernel.rewritten(rows, old, new, *pair)
        rows = _kernel.match(moved if moved is not None else old, new, *SECOND)
        mask, extras, gaps, tokens = _kernel.explain(rows, old, new, *pair)
    return difference_format.encode(Parts(len(old), len(new), rows, mask, images, gaps, tokens, extras), level, dense)


def apply(difference: bytes | memoryview, old: bytes | memoryview, new_size: int) -> bytearray:
    """The `new_size` bytes that the difference makes of `old`; the caller checks their digest. Raises `Damaged`."""
    # Stands ahead of `apply`'s work: an update can always go on with plain chunks, so this is no defect of the device.
    if _kernel is None:
        raise Damaged("difference.kernel", "this machine has no compiled kernel to apply differences with")
    parts = difference_format.decode(difference, len(old), new_size)
    pair: tuple[object, object] = (None, None)
    if parts.images:
        old_image, old_start, new_image, new_start = parts.images
        pair = (old_image.window(old_start, len(old)), new_image.window(new_start, new_size))
    try:
        made: bytearray = _kernel.rebuild(
            parts.rows, old, new_size, pair[0], pair[1], parts.mask, parts.extras, parts.gaps, parts.tokens
        )
        return made
    except ValueError as error:
        raise Damaged("difference.damaged", f"a difference cannot be applied: {error}") from error
