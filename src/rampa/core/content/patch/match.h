/* What the two halves of the kernel share. docs/formats.md describes the format; ../difference/format.py reads and writes it. */
#ifndef RAMPA_MATCH_H
#define RAMPA_MATCH_H
#include <stdint.h>
#include <string.h>

/* Copy `copy` bytes of the old content from `from`, then take `extra` literal bytes. */
typedef struct {
    int64_t copy, extra, from;
} rampa_op;

typedef struct {
    rampa_op *rows;
    int64_t count, room;
} rampa_ops;

/* 0, or -1 when there is no memory. `stride`: bytes between seeds of the index; `keep`: of 32 bytes, how many must match
   to go on without a look-up. */
int rampa_match(const uint8_t *old, int64_t old_size, const uint8_t *new_, int64_t new_size, int stride, int keep,
                rampa_ops *out);

static inline uint64_t rampa_u64(const uint8_t *p) {
    uint64_t v;
    memcpy(&v, p, 8);
    return v;
}

static inline uint32_t rampa_u32(const uint8_t *p) {
    uint32_t v;
    memcpy(&v, p, 4);
    return v;
}
#endif
