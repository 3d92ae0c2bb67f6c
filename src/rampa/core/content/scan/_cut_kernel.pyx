# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""Finds cut candidates at memory speed, without the GIL. `cutting.candidates_numpy` gives the same answer."""
from libc.stdint cimport uint8_t, uint64_t
from libc.stdlib cimport free
from libc.string cimport memset


cdef extern from "cut.h" nogil:
    ctypedef struct rampa_candidates:
        uint64_t* rows
        size_t count
    int rampa_find_candidates(const uint8_t* data, size_t size, size_t warm, const uint64_t* table, int loose_shift,
                              int strict_shift, rampa_candidates* out)


def candidates(const uint8_t[::1] data, const uint64_t[::1] table, int warm, int loose_shift, int strict_shift):
    """Positions p in `data` where a chunk may end before p, as `p * 2 + strict`.

    The first `warm` bytes only fill the window. Returns bytes: uint64, native order, ascending.
    """
    cdef rampa_candidates found
    cdef int failed
    cdef size_t size = data.shape[0]
    cdef const uint8_t* start = &data[0] if size else NULL
    memset(&found, 0, sizeof(found))
    with nogil:
        failed = rampa_find_candidates(start, size, warm, &table[0], loose_shift, strict_shift, &found)
    try:
        if failed:
            raise MemoryError()
        return (<uint8_t*> found.rows)[:found.count * sizeof(uint64_t)]
    finally:
        free(found.rows)
