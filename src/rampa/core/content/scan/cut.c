/* The hash of one byte waits for that of the byte before, so one stretch leaves most of the processor idle: four are hashed
   side by side. A hash depends on the last 64 bytes alone, so each begins 63 bytes early. */
#include "cut.h"
#include <stdlib.h>
#include <string.h>

enum { LANES = 4, WINDOW = 64, SMALL = 4096 };

static int put(rampa_candidates *out, uint64_t row) {
    if (out->count == out->room) {
        size_t room = out->room ? out->room * 2 : 64;
        uint64_t *grown = realloc(out->rows, room * sizeof(uint64_t));
        if (!grown) return -1;
        out->rows = grown;
        out->room = room;
    }
    out->rows[out->count++] = row;
    return 0;
}

static uint64_t warmed(const uint8_t *data, size_t from, size_t to, const uint64_t *table) {
    uint64_t h = 0;
    for (; from < to; from++) h = (h << 1) + table[data[from]];
    return h;
}

#define STEP(lane) \
    h##lane = (h##lane << 1) + table[p##lane[i]]; \
    if (__builtin_expect(h##lane < loose, 0) && put(&own[lane], (start + lane * part + i + 1) * 2 + (h##lane < strict))) return -1;

static int lanes(const uint8_t *data, size_t start, size_t part, const uint64_t h[LANES], const uint64_t *table,
                 uint64_t loose, uint64_t strict, rampa_candidates own[LANES]) {
    const uint8_t *p0 = data + start, *p1 = p0 + part, *p2 = p1 + part, *p3 = p2 + part;
    uint64_t h0 = h[0], h1 = h[1], h2 = h[2], h3 = h[3];
    for (size_t i = 0; i < part; i++) {
        STEP(0)
        STEP(1)
        STEP(2)
        STEP(3)
    }
    return 0;
}

static int rest(const uint8_t *data, size_t from, size_t size, uint64_t h, const uint64_t *table, uint64_t loose,
                uint64_t strict, rampa_candidates *out) {
    for (; from < size; from++) {
        h = (h << 1) + table[data[from]];
        if (h < loose && put(out, (from + 1) * 2 + (h < strict))) return -1;
    }
    return 0;
}

int rampa_find_candidates(const uint8_t *data, size_t size, size_t warm, const uint64_t *table, int loose_shift,
                          int strict_shift, rampa_candidates *out) {
    uint64_t loose = (uint64_t)1 << loose_shift, strict = (uint64_t)1 << strict_shift, h[LANES];
    rampa_candidates own[LANES] = {{0}};
    size_t start = warm < size ? warm : size, part = (size - start) / LANES, lane;
    int failed = 0;
    if (part < SMALL) return rest(data, start, size, warmed(data, 0, start, table), table, loose, strict, out);
    h[0] = warmed(data, 0, start, table);
    for (lane = 1; lane < LANES; lane++) {
        size_t from = start + lane * part;
        h[lane] = warmed(data, from - (WINDOW - 1), from, table);
    }
    failed = lanes(data, start, part, h, table, loose, strict, own);
    for (lane = 0; lane < LANES; lane++) {
        for (size_t i = 0; i < own[lane].count && !failed; i++) failed = put(out, own[lane].rows[i]);
        free(own[lane].rows);
    }
    if (failed) return -1;
    size_t from = start + LANES * part;
    return rest(data, from, size, warmed(data, from - (WINDOW - 1), from, table), table, loose, strict, out);
}
