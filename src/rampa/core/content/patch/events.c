/* What a prediction missed, as gaps and 32-bit differences with the most recent differences by number. */
#include "predict.h"
#include <stdlib.h>

enum { RECENT = 250 };

static int push(rampa_bytes *out, const void *data, int64_t size) {
    if (out->size + size > out->room) {
        int64_t room = (out->room ? out->room * 2 : 4096) + size;
        uint8_t *grown = realloc(out->bytes, (size_t)room);
        if (!grown) return -1;
        out->bytes = grown;
        out->room = room;
    }
    memcpy(out->bytes + out->size, data, (size_t)size);
    out->size += size;
    return 0;
}

static int push_number(rampa_bytes *out, uint64_t n) {
    uint8_t b[10];
    int k = 0;
    for (; n >= 0x80; n >>= 7) b[k++] = (uint8_t)(n | 0x80);
    b[k++] = (uint8_t)n;
    return push(out, b, k);
}

/* Move-to-front list of differences; unused places are 0, which is never a difference. */
typedef struct {
    uint32_t rows[RECENT];
} recent_t;

static void to_front(recent_t *r, int n, uint32_t value) {
    memmove(r->rows + 1, r->rows, (size_t)n * sizeof(uint32_t));
    r->rows[0] = value;
}

static int64_t same_until(const uint8_t *a, const uint8_t *b, int64_t at, int64_t size) {
    while (at + 8 <= size) {
        uint64_t x = rampa_u64(a + at) ^ rampa_u64(b + at);
        if (x) return at + (__builtin_ctzll(x) >> 3);
        at += 8;
    }
    while (at < size && a[at] == b[at]) at++;
    return at;
}

int rampa_events(const uint8_t *guess, const uint8_t *new_, int64_t size, rampa_bytes *gaps, rampa_bytes *tokens) {
    recent_t recent = {{0}};
    int64_t last = 0, at;
    while ((at = same_until(guess, new_, last, size)) < size) {
        if (push_number(gaps, (uint64_t)(at - last))) return -1;
        if (at + 4 > size) {
            uint8_t by = (uint8_t)(new_[at] - guess[at]);
            if (push(tokens, &by, 1)) return -1;
            last = at + 1;
            continue;
        }
        uint32_t by = rampa_u32(new_ + at) - rampa_u32(guess + at);
        int n = 0;
        while (n < RECENT && recent.rows[n] != by) n++;
        uint8_t token = n < RECENT ? (uint8_t)(n + 1) : 0;
        if (push(tokens, &token, 1) || (!token && push(tokens, &by, 4))) return -1;
        to_front(&recent, n < RECENT ? n : RECENT - 1, by);
        last = at + 4;
    }
    return 0;
}

int rampa_correct(uint8_t *guess, int64_t size, const uint8_t *gaps, int64_t gaps_size, const uint8_t *tokens,
                  int64_t tokens_size) {
    recent_t recent = {{0}};
    int64_t at = 0, g = 0, t = 0;
    while (g < gaps_size) {
        uint64_t gap = 0;
        int shift = 0;
        do {
            if (g >= gaps_size || shift > 56) return -1;
            gap |= (uint64_t)(gaps[g] & 0x7F) << shift;
            shift += 7;
        } while (gaps[g++] & 0x80);
        if (gap >= (uint64_t)(size - at)) return -1;
        at += (int64_t)gap;
        if (t >= tokens_size) return -1;
        if (at + 4 > size) {
            guess[at] = (uint8_t)(guess[at] + tokens[t++]);
            at++;
            continue;
        }
        uint32_t by, value;
        uint8_t token = tokens[t++];
        if (token > RECENT) return -1;
        if (token) {
            by = recent.rows[token - 1];
            to_front(&recent, token - 1, by);
        } else {
            if (t + 4 > tokens_size) return -1;
            by = rampa_u32(tokens + t);
            t += 4;
            to_front(&recent, RECENT - 1, by);
        }
        value = rampa_u32(guess + at) + by;
        memcpy(guess + at, &value, 4);
        at += 4;
    }
    return t == tokens_size ? 0 : -1;
}
