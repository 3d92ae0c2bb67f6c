# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""Turns the calls of programs at memory speed, without the GIL. `code_filter` has the same in numpy, and says what is turned."""
from libc.stdint cimport uint8_t, uint32_t, uint64_t

cdef uint32_t HALF = 1 << 24
cdef uint32_t MASK = (1 << 25) - 1


def turn_x86(uint8_t[::1] data, bint back, uint64_t position, size_t free):
    """In place; returns the first byte that would be looked at behind `data`."""
    cdef size_t size = data.shape[0]
    cdef size_t at = free
    cdef size_t end = free
    cdef uint32_t said, here, turned
    with nogil:
        while at + 5 <= size:
            if (data[at] & 0xFE) != 0xE8:
                at += 1
                continue
            said = (<uint32_t> data[at + 1] | <uint32_t> data[at + 2] << 8
                    | <uint32_t> data[at + 3] << 16 | <uint32_t> data[at + 4] << 24)
            if <uint32_t> (said + HALF) <= MASK:
                here = <uint32_t> (position + at + 5)
                turned = (said - here if back else said + here) & MASK
                if turned & HALF:
                    turned |= ~MASK
                data[at + 1] = turned & 0xFF
                data[at + 2] = turned >> 8 & 0xFF
                data[at + 3] = turned >> 16 & 0xFF
                data[at + 4] = turned >> 24
            at += 5
            end = at
    return end


def turn_arm64(uint32_t[::1] words, bint back, uint64_t place):
    """In place; `place` is the first word's, counted from the run's start. Words are little-endian, as the machine's must be."""
    cdef size_t count = words.shape[0]
    cdef size_t i
    cdef uint32_t word, page, here
    with nogil:
        for i in range(count):
            word = words[i]
            if (word & 0xFC000000U) == 0x94000000U:
                here = <uint32_t> (place + i)
                words[i] = 0x94000000U | (<uint32_t> (word - here if back else word + here) & 0x03FFFFFFU)
            elif (word & 0x9F000000U) == 0x90000000U:
                here = <uint32_t> (place + i) >> 10
                page = (word >> 5 & 0x7FFFF) << 2 | (word >> 29 & 3)
                page = (page - here if back else page + here) & 0x1FFFFF
                words[i] = (word & 0x9F00001FU) | (page >> 2) << 5 | (page & 3) << 29
