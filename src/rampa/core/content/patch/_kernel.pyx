# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""The compiled half of differences: matching, predicting addresses, events. Everything heavy runs without the GIL.

Operations are rows of three int64: bytes copied from the old content, literal bytes behind them, where the copy begins.
An image is (segments as rows of four int64, low, high, base, machine, frames): see predict.h.
"""
from libc.stdint cimport int64_t, uint8_t
from libc.stdlib cimport free
from libc.string cimport memcpy, memset


cdef extern from "match.h" nogil:
    ctypedef struct rampa_op:
        int64_t copy
        int64_t extra
        int64_t from_ "from"
    ctypedef struct rampa_ops:
        rampa_op* rows
        int64_t count
        int64_t room
    int rampa_match(const uint8_t* old, int64_t old_size, const uint8_t* new_, int64_t new_size, int stride, int keep,
                    rampa_ops* out)


cdef extern from "predict.h" nogil:
    ctypedef struct rampa_seg:
        int64_t off
    ctypedef struct rampa_image:
        const rampa_seg* segs
        int64_t count, low, high, base, machine, frames
    ctypedef struct rampa_map:
        pass
    ctypedef struct rampa_bytes:
        uint8_t* bytes
        int64_t size
        int64_t room
    rampa_map* rampa_map_make(const rampa_ops* ops, const rampa_image* old, const rampa_image* new_,
                              const uint8_t* bytes, int64_t size)
    void rampa_map_free(rampa_map* map)
    void rampa_predict(const rampa_map* map, const rampa_ops* ops, const uint8_t* old, int64_t mask, uint8_t* out)
    int64_t rampa_gains(const rampa_map* map, const rampa_ops* ops, const uint8_t* old, const uint8_t* new_)
    void rampa_rewrite_all(const rampa_map* map, const uint8_t* old, int64_t size, int64_t mask, uint8_t* out)
    int rampa_events(const uint8_t* guess, const uint8_t* new_, int64_t size, rampa_bytes* gaps, rampa_bytes* tokens)
    int rampa_correct(uint8_t* guess, int64_t size, const uint8_t* gaps, int64_t gaps_size, const uint8_t* tokens,
                      int64_t tokens_size)


cdef class _Image:
    cdef rampa_image c
    cdef bytes segs

    def __cinit__(self, tuple given):
        self.segs = given[0]
        self.c.segs = <const rampa_seg*> <const uint8_t*> self.segs
        self.c.count = len(self.segs) // 32
        self.c.low, self.c.high, self.c.base, self.c.machine, self.c.frames = given[1:]


cdef const uint8_t* _start(const uint8_t[::1] view):
    return &view[0] if view.shape[0] else NULL


def match(const uint8_t[::1] old, const uint8_t[::1] new, int stride, int keep):
    """Operations that make `new` of `old`, more or less: bytes of int64 rows."""
    cdef rampa_ops ops
    cdef const uint8_t* a = _start(old)
    cdef const uint8_t* b = _start(new)
    cdef int failed
    memset(&ops, 0, sizeof(ops))
    with nogil:
        failed = rampa_match(a, old.shape[0], b, new.shape[0], stride, keep, &ops)
    try:
        if failed:
            raise MemoryError()
        return (<uint8_t*> ops.rows)[:ops.count * sizeof(rampa_op)]
    finally:
        free(ops.rows)


cdef rampa_ops _ops(const uint8_t[::1] rows):
    cdef rampa_ops ops
    ops.rows = <rampa_op*> _start(rows)
    ops.count = rows.shape[0] // sizeof(rampa_op)
    ops.room = ops.count
    return ops


cdef void _lay_out(rampa_ops* ops, const uint8_t* old, const uint8_t* extras, uint8_t* out) noexcept nogil:
    cdef int64_t i, at = 0, taken = 0
    for i in range(ops.count):
        memcpy(out + at, old + ops.rows[i].from_, ops.rows[i].copy)
        at += ops.rows[i].copy
        memcpy(out + at, extras + taken, ops.rows[i].extra)
        taken += ops.rows[i].extra
        at += ops.rows[i].extra


def rewritten(const uint8_t[::1] rows, const uint8_t[::1] old, const uint8_t[::1] new, tuple old_image, tuple new_image):
    """`old` with its address fields moved as the operations say, to be matched again; None where no pattern gains."""
    cdef rampa_ops ops = _ops(rows)
    cdef _Image was = _Image(old_image)
    cdef _Image will = _Image(new_image)
    cdef const uint8_t* a = _start(old)
    cdef const uint8_t* b = _start(new)
    cdef bytearray out = bytearray(old.shape[0])
    cdef uint8_t* target = out
    cdef int64_t mask = 0, size = old.shape[0]
    cdef rampa_map* map
    with nogil:
        map = rampa_map_make(&ops, &was.c, &will.c, a, size)
        if map != NULL:
            mask = rampa_gains(map, &ops, a, b)
            if mask:
                rampa_rewrite_all(map, a, size, mask, target)
            rampa_map_free(map)
    if map == NULL:
        raise MemoryError()
    return out if mask else None


def explain(const uint8_t[::1] rows, const uint8_t[::1] old, const uint8_t[::1] new, old_image, new_image):
    """(mask, literal bytes, gaps, tokens): all that the operations leave to be said of `new`."""
    cdef rampa_ops ops = _ops(rows)
    cdef const uint8_t* a = _start(old)
    cdef const uint8_t* b = _start(new)
    cdef int64_t mask = 0, i, at = 0, size = new.shape[0], old_size = old.shape[0], taken = 0
    cdef rampa_map* map = NULL
    cdef _Image was, will
    cdef rampa_bytes gaps, tokens
    cdef int failed
    for i in range(ops.count):
        taken += ops.rows[i].extra
    cdef bytearray extras = bytearray(taken)
    cdef uint8_t* e = extras
    cdef bytearray guess = bytearray(size)
    cdef uint8_t* g = guess
    memset(&gaps, 0, sizeof(gaps))
    memset(&tokens, 0, sizeof(tokens))
    taken = 0
    for i in range(ops.count):
        at += ops.rows[i].copy
        memcpy(e + taken, b + at, ops.rows[i].extra)
        taken += ops.rows[i].extra
        at += ops.rows[i].extra
    if old_image is not None:
        was, will = _Image(old_image), _Image(new_image)
        map = rampa_map_make(&ops, &was.c, &will.c, a, old_size)
        if map == NULL:
            raise MemoryError()
    with nogil:
        _lay_out(&ops, a, e, g)
        if map != NULL:
            mask = rampa_gains(map, &ops, a, b)
            rampa_predict(map, &ops, a, mask, g)
            rampa_map_free(map)
        failed = rampa_events(g, b, size, &gaps, &tokens)
    try:
        if failed:
            raise MemoryError()
        return mask, bytes(extras), <bytes> gaps.bytes[:gaps.size], <bytes> tokens.bytes[:tokens.size]
    finally:
        free(gaps.bytes)
        free(tokens.bytes)


def rebuild(const uint8_t[::1] rows, const uint8_t[::1] old, int64_t size, old_image, new_image, int64_t mask,
            const uint8_t[::1] extras, const uint8_t[::1] gaps, const uint8_t[::1] tokens):
    """The new content, `size` bytes. The caller has checked that the rows fit old, extras and size.

    Raises `ValueError` when gaps and tokens do not fit.
    """
    cdef rampa_ops ops = _ops(rows)
    cdef const uint8_t* a = _start(old)
    cdef const uint8_t* e = _start(extras)
    cdef const uint8_t* gap = _start(gaps)
    cdef const uint8_t* token = _start(tokens)
    cdef int64_t old_size = old.shape[0], gaps_size = gaps.shape[0], tokens_size = tokens.shape[0]
    cdef _Image was, will
    cdef rampa_map* map = NULL
    cdef int failed
    cdef bytearray out = bytearray(size)
    cdef uint8_t* o = out
    if old_image is not None and mask:
        was, will = _Image(old_image), _Image(new_image)
        map = rampa_map_make(&ops, &was.c, &will.c, a, old_size)
        if map == NULL:
            raise MemoryError()
    with nogil:
        _lay_out(&ops, a, e, o)
        if map != NULL:
            rampa_predict(map, &ops, a, mask, o)
            rampa_map_free(map)
        failed = rampa_correct(o, size, gap, gaps_size, token, tokens_size)
    if failed:
        raise ValueError("the corrections do not fit the content")
    return out
