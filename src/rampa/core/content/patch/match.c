/* Approximate matching: which stretches of the new content resemble which of the old. Little-endian machines only. */
#include "match.h"
#include <stdlib.h>
#include <string.h>
#ifdef __linux__
#include <sys/mman.h>
#endif

enum { SEED = 8, LONG = 16, AHEAD = 32, GAIN = 12, REACH = 1024, GIVE_UP = 24, BACK_GIVE_UP = 64, BACK_REACH = 1 << 20 };
enum { CROWDED = 8, FULL = 256, CALM = 64 * 1024, OPS_PER = 64, FAR = 32, LARGE_PAGE = 2 * 1024 * 1024 };
#define REPEATED 0xFFFFFFFFu

typedef struct {
    uint32_t *heads, *positions;
    int bits;
} index_t;

static inline uint32_t hash(uint64_t seed, int bits) {
    return (uint32_t)((seed * 0x9E3779B97F4A7C15ull) >> (64 - bits));
}

/* Memory for tables that are read all over: in large pages where the system has them, since small ones cost a miss each. */
static void *table(size_t size) {
    void *made = NULL;
    size_t rounded = (size + LARGE_PAGE - 1) / LARGE_PAGE * LARGE_PAGE;
    if (size < LARGE_PAGE) return malloc(size ? size : 1);
    if (posix_memalign(&made, LARGE_PAGE, rounded)) return NULL;
#ifdef MADV_HUGEPAGE
    madvise(made, rounded, MADV_HUGEPAGE);
#endif
    return made;
}

/* Walks the seeds' hashes, FAR of them ahead of their use, so that the table's rows are on their way meanwhile. A seed that
   repeats the one before is left out: `h` is REPEATED then. */
typedef struct {
    const uint8_t *old;
    int64_t next, seeds;
    int stride, bits;
    uint32_t ring[FAR], before;
} walk_t;

static inline uint32_t ahead(walk_t *w, const uint32_t *heads) {
    uint32_t h = REPEATED;
    if (w->next < w->seeds) {
        h = hash(rampa_u64(w->old + w->next * w->stride), w->bits);
        if (h == w->before) h = REPEATED;
        else w->before = h, __builtin_prefetch(heads + h + 1, 1);
    }
    w->ring[w->next++ % FAR] = h;
    return h;
}

static walk_t walk(const index_t *ix, const uint8_t *old, int64_t seeds, int stride) {
    walk_t w = {old, 0, seeds, stride, ix->bits, {0}, REPEATED};
    while (w.next < FAR) ahead(&w, ix->heads);
    return w;
}

static inline uint32_t step(walk_t *w, int64_t i, const uint32_t *heads) {
    uint32_t h = w->ring[i % FAR];
    ahead(w, heads);
    return h;
}

/* Seeds in counting-sorted buckets, positions ascending in each. */
static int make_index(index_t *ix, const uint8_t *old, int64_t size, int stride) {
    int64_t seeds = size >= SEED ? (size - SEED) / stride + 1 : 0, i, total = 0;
    ix->bits = 8;
    while (ix->bits < 26 && ((int64_t)2 << ix->bits) < seeds) ix->bits++;
    int64_t buckets = (int64_t)1 << ix->bits;
    ix->heads = table(((size_t)buckets + 2) * sizeof(uint32_t));
    ix->positions = table((size_t)seeds * sizeof(uint32_t));
    if (!ix->heads || !ix->positions) return -1;
    memset(ix->heads, 0, ((size_t)buckets + 2) * sizeof(uint32_t));
    walk_t w = walk(ix, old, seeds, stride);
    for (i = 0; i < seeds; i++) {
        uint32_t h = step(&w, i, ix->heads);
        if (h != REPEATED) ix->heads[h + 2]++;
    }
    for (i = 0; i <= buckets + 1; i++) {
        total += ix->heads[i];
        ix->heads[i] = (uint32_t)total;
    }
    w = walk(ix, old, seeds, stride);
    for (i = 0; i < seeds; i++) {
        uint32_t soon = w.ring[(i + FAR / 2) % FAR], h = step(&w, i, ix->heads);
        if (soon != REPEATED) __builtin_prefetch(ix->positions + ix->heads[soon + 1], 1);
        if (h != REPEATED) ix->positions[ix->heads[h + 1]++] = (uint32_t)(i * stride);
    }
    return 0;
}

static inline int equal_bytes(uint64_t a, uint64_t b) {
    uint64_t x = a ^ b;
    uint64_t t = (((x & 0x7F7F7F7F7F7F7F7Full) + 0x7F7F7F7F7F7F7F7Full) | x) & 0x8080808080808080ull;
    return 8 - __builtin_popcountll(t);
}

static int64_t same_run(const uint8_t *a, const uint8_t *b, int64_t limit) {
    int64_t n = 0;
    while (n + 8 <= limit) {
        uint64_t x = rampa_u64(a + n) ^ rampa_u64(b + n);
        if (x) return n + (__builtin_ctzll(x) >> 3);
        n += 8;
    }
    while (n < limit && a[n] == b[n]) n++;
    return n;
}

/* The best of 2 * matches - length over the next bytes. */
static int64_t forward_score(const uint8_t *a, const uint8_t *b, int64_t limit) {
    int64_t n, score = 0, best = 0;
    if (limit > REACH) limit = REACH;
    for (n = 0; n + 8 <= limit; n += 8) {
        score += 2 * equal_bytes(rampa_u64(a + n), rampa_u64(b + n)) - 8;
        if (score > best) best = score;
        if (score < best - GIVE_UP) break;
    }
    return best;
}

static int resembles(const uint8_t *a, const uint8_t *b, int keep) {
    int n, same = 0;
    for (n = 0; n < AHEAD; n += 8) same += equal_bytes(rampa_u64(a + n), rampa_u64(b + n));
    return same >= keep;
}

/* The first entry of the bucket to look at, so that `count` of them lie nearest to `expected`. */
static uint32_t nearest(const uint32_t *positions, uint32_t low, uint32_t high, int64_t expected, uint32_t count) {
    uint32_t a = low, b = high;
    while (a < b) {
        uint32_t mid = a + (b - a) / 2;
        if ((int64_t)positions[mid] < expected) a = mid + 1;
        else b = mid;
    }
    uint32_t start = a > low + count / 2 ? a - count / 2 : low;
    return start + count > high ? high - count : start;
}

typedef struct {
    const uint8_t *old, *new_;
    int64_t old_size, new_size;
    int64_t start, offset; /* the operation that is open: from where in the new content, and old minus new */
    rampa_ops *out;
} scan_t;

static int put(rampa_ops *out, int64_t copy, int64_t extra, int64_t from) {
    if (out->count == out->room) {
        int64_t room = out->room ? out->room * 2 : 256;
        rampa_op *grown = realloc(out->rows, (size_t)room * sizeof(rampa_op));
        if (!grown) return -1;
        out->rows = grown;
        out->room = room;
    }
    out->rows[out->count++] = (rampa_op){copy, extra, from};
    return 0;
}

/* How far the open operation's copy pays, up to `until` in the new content. */
static int64_t reach_forward(const scan_t *s, int64_t until) {
    int64_t limit = until - s->start, room = s->old_size - (s->start + s->offset);
    const uint8_t *a = s->new_ + s->start, *b = s->old + s->start + s->offset;
    int64_t n = 0, score = 0, best = 0, length = 0;
    if (limit > room) limit = room;
    while (n < limit) {
        if (n + 8 <= limit && rampa_u64(a + n) == rampa_u64(b + n)) {
            score += 8;
            n += 8;
        } else {
            score += a[n] == b[n] ? 1 : -1;
            n++;
        }
        if (score > best) {
            best = score;
            length = n;
        }
    }
    return length;
}

static int64_t reach_back(const scan_t *s, int64_t at, int64_t offset) {
    int64_t n, limit = at - s->start, score = 0, best = 0, length = 0;
    if (limit > at + offset) limit = at + offset;
    if (limit > BACK_REACH) limit = BACK_REACH;
    for (n = 1; n <= limit; n++) {
        score += s->new_[at - n] == s->old[at + offset - n] ? 1 : -1;
        if (score > best) {
            best = score;
            length = n;
        }
        if (score < best - BACK_GIVE_UP) break;
    }
    return length;
}

/* Ends the open operation and opens the next one around `at` with `offset`. */
static int turn(scan_t *s, int64_t at, int64_t offset) {
    int64_t forward = reach_forward(s, at), back = reach_back(s, at, offset);
    int64_t overlap = s->start + forward - (at - back);
    if (overlap > 0) {
        /* Split where the sum of what both get right is greatest. */
        int64_t from = at - back, i, score = 0, best = 0, cut = 0;
        for (i = 0; i < overlap; i++) {
            score += s->new_[from + i] == s->old[from + i + s->offset];
            score -= s->new_[from + i] == s->old[from + i + offset];
            if (score > best) {
                best = score;
                cut = i + 1;
            }
        }
        forward = from + cut - s->start;
        back -= cut;
    }
    int64_t next = at - back;
    if ((forward || next > s->start) && put(s->out, forward, next - s->start - forward, s->start + s->offset)) return -1;
    s->start = next;
    s->offset = offset;
    return 0;
}

/* The best candidate's offset at `at`; `best` starts as the score to beat. */
static int64_t look_up(const scan_t *s, const index_t *ix, int64_t at, int64_t best) {
    uint64_t seed = rampa_u64(s->new_ + at);
    uint32_t h = hash(seed, ix->bits), low = ix->heads[h], high = ix->heads[h + 1], n, take;
    int64_t found = s->offset;
    take = high - low > FULL ? 2 : CROWDED;
    if (high - low > CROWDED) {
        low = nearest(ix->positions, low, high, at + s->offset, take);
        high = low + take;
    }
    for (n = low; n < high; n++) {
        int64_t from = ix->positions[n], limit = s->new_size - at, room = s->old_size - from;
        if (rampa_u64(s->old + from) != seed) continue;
        int64_t score = forward_score(s->new_ + at, s->old + from, limit < room ? limit : room);
        if (score > best) {
            best = score;
            found = from - at;
        }
    }
    return found;
}

static int scan(scan_t *s, const index_t *ix, int keep) {
    int64_t at = 0, misses = 0;
    while (at + SEED <= s->new_size) {
        int64_t from = at + s->offset, own = 0;
        if (from >= 0 && from < s->old_size) {
            int64_t room = s->old_size - from, limit = s->new_size - at;
            if (limit > room) limit = room;
            int64_t run = same_run(s->new_ + at, s->old + from, limit);
            if (run >= LONG) {
                at += run;
                misses = 0;
                continue;
            }
            if (limit >= AHEAD && resembles(s->new_ + at, s->old + from, keep)) {
                at += run + 1;
                misses = 0;
                continue;
            }
            own = forward_score(s->new_ + at, s->old + from, limit);
        }
        int64_t offset = look_up(s, ix, at, own + GAIN);
        if (offset != s->offset) {
            if (turn(s, at, offset)) return -1;
            at += SEED;
            misses = 0;
            if (at > CALM && s->out->count > at / OPS_PER) break;
            continue;
        }
        at += 1 + (misses / 4096 < 15 ? misses / 4096 : 15);
        misses++;
    }
    int64_t forward = s->start + s->offset < s->old_size ? reach_forward(s, s->new_size) : 0;
    return put(s->out, forward, s->new_size - s->start - forward, s->start + s->offset);
}

int rampa_match(const uint8_t *old, int64_t old_size, const uint8_t *new_, int64_t new_size, int stride, int keep,
                rampa_ops *out) {
    index_t ix = {0};
    scan_t s = {old, new_, old_size, new_size, 0, 0, out};
    int failed = make_index(&ix, old, old_size, stride) || scan(&s, &ix, keep);
    free(ix.heads);
    free(ix.positions);
    return failed ? -1 : 0;
}
