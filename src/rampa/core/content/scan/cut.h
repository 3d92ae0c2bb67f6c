/* Cut candidates, found by a rolling hash over several stretches of the content at once. */
#ifndef RAMPA_CUT_H
#define RAMPA_CUT_H
#include <stddef.h>
#include <stdint.h>

typedef struct {
    uint64_t *rows; /* position * 2 + strict, ascending */
    size_t count, room;
} rampa_candidates;

/* Returns 0, or -1 when there is no memory. The caller frees `out->rows`. */
int rampa_find_candidates(const uint8_t *data, size_t size, size_t warm, const uint64_t *table, int loose_shift,
                          int strict_shift, rampa_candidates *out);

#endif
