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


cdef inline uint32_t word_at(uint8_t[::1] data, size_t at) noexcept nogil:
    return (<uint32_t> data[at] | <uint32_t> data[at + 1] << 8
            | <uint32_t> data[at + 2] << 16 | <uint32_t> data[at + 3] << 24)


cdef inline void put_at(uint8_t[::1] data, size_t at, uint32_t value) noexcept nogil:
    data[at] = value & 0xFF
    data[at + 1] = value >> 8 & 0xFF
    data[at + 2] = value >> 16 & 0xFF
    data[at + 3] = value >> 24


def turn_frames(uint8_t[::1] data, bint back, uint64_t position, uint32_t last):
    """In place, from whole row to whole row; `program_tables` says what is turned. Gives how many bytes are settled, the end of
    the last function, and whether the table is over."""
    cdef size_t size = data.shape[0]
    cdef size_t at = 0
    cdef uint32_t length, common, here, function, turned
    cdef bint over = False
    with nogil:
        while at + 4 <= size:
            length = word_at(data, at)
            if length == 0 or length > 1 << 16:
                over = True
                break
            if at + 4 + length > size:
                break
            common = word_at(data, at + 4) if length >= 16 else 0
            if common:
                turned = <uint32_t> (position + at + 5) - common
                put_at(data, at + 4, turned if turned else common)
                here = <uint32_t> (position + at + 8)
                function = word_at(data, at + 8) + (last if back else here)
                put_at(data, at + 8, function - (here if back else last))
                last = (function + word_at(data, at + 12) + 15) & ~<uint32_t> 15
            at += 4 + length
    return at, last, over
