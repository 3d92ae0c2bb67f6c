# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""Finds cut candidates at memory speed, without the GIL. `cutting.candidates_numpy` gives the same answer."""
from libc.stdint cimport uint8_t, uint32_t, uint64_t
from libc.stdlib cimport free, malloc, realloc


def candidates(const uint8_t[::1] data, const uint64_t[::1] table, int warm, int loose_shift, int strict_shift):
    """Positions p in `data` where a chunk may end before p, as `p * 2 + strict`.

    The first `warm` bytes only fill the window. Returns bytes: uint64, native order, ascending.
    """
    cdef Py_ssize_t n = data.shape[0], i = 0, found = 0, room = 1024
    cdef uint64_t h = 0
    cdef uint64_t* out = <uint64_t*> malloc(room * sizeof(uint64_t))
    cdef uint64_t* grown
    if out == NULL:
        raise MemoryError()
    with nogil:
        while i < warm and i < n:
            h = (h << 1) + table[data[i]]
            i += 1
        while i < n:
            h = (h << 1) + table[data[i]]
            i += 1
            if (h >> loose_shift) == 0:
                if found == room:
                    room *= 2
                    grown = <uint64_t*> realloc(out, room * sizeof(uint64_t))
                    if grown == NULL:
                        break
                    out = grown
                out[found] = (<uint64_t> i) * 2 + (1 if (h >> strict_shift) == 0 else 0)
                found += 1
    try:
        if i < n:
            raise MemoryError()
        return (<uint8_t*> out)[:found * sizeof(uint64_t)]
    finally:
        free(out)
