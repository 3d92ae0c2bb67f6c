"""How content is cut into chunks: the parameters, recorded in every manifest.

The hash is a gear hash over a window of 64 bytes: `h(i) = sum over j in 0..63 of T[b(i-j)] << j` modulo 2**64.
A position is a *loose* candidate when the top `bits - normalisation` bits of h are zero and a *strict* one when
the top `bits + normalisation` are, with `bits = log2(average)`. From a cut on, the next cut is the first strict candidate
between minimum and average, else the first loose one between average and maximum, else maximum
(normalised chunking, Xia et al., "FastCDC", USENIX ATC 2016, section 3.3). Candidates depend on nothing but the 64 bytes
before them, so an edit moves cuts only near itself and pieces of a file can be searched on several threads.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from blake3 import blake3

from rampa.core.errors import Invalid

WINDOW = 64


@dataclass(frozen=True)
class CutParameters:
    """Sizes in bytes. `average` is a power of two; `minimum < average < maximum`."""

    minimum: int = 16 * 1024
    average: int = 64 * 1024
    maximum: int = 256 * 1024
    normalisation: int = 2

    def __post_init__(self) -> None:
        power_of_two = self.average > 0 and self.average & (self.average - 1) == 0
        # 16 MB is the most that a reader has to hold of one chunk; below the window's 64 bytes there is nothing to
        # hash.
        ordered = WINDOW <= self.minimum < self.average < self.maximum <= 16 * 1024 * 1024
        if not (power_of_two and ordered and 0 <= self.normalisation <= 4 and self.bits > self.normalisation):
            raise Invalid("content.parameters", f"these chunk sizes cannot be used: {self}")

    @property
    def bits(self) -> int:
        return self.average.bit_length() - 1

    @property
    def loose_shift(self) -> int:
        """A position is a loose candidate when `h >> loose_shift == 0`."""
        return 64 - (self.bits - self.normalisation)

    @property
    def strict_shift(self) -> int:
        return 64 - (self.bits + self.normalisation)


DEFAULT = CutParameters()


@lru_cache(maxsize=1)
def gear_table() -> tuple[int, ...]:
    """256 numbers of 64 bits: the first eight bytes, little-endian, of BLAKE3("rampa gear 1" + byte)."""
    # From a hash of our own words: anybody can make it again, and nobody chose the numbers.
    return tuple(int.from_bytes(blake3(b"rampa gear 1" + bytes([i])).digest()[:8], "little") for i in range(256))
