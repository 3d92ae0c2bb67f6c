/* Rewriting address fields by a map from old addresses to how far they moved. */
#include "predict.h"
#include "fields.h"
#include <stdlib.h>

enum { LONG_COPY = 256, PAGE = 12 };
#define MOST_PAGES ((int64_t)1 << 22)

typedef struct {
    int64_t from, shift, order;
} entry_t;

struct rampa_map {
    entry_t *entries;
    int64_t count;
    uint32_t *pages; /* for each 4 KiB of the old image: how many entries begin at or before its start */
    int64_t page_count;
    rampa_image old, new_;
    rampa_fields fields;
};

static const rampa_seg *seg_at(const rampa_image *image, int64_t off) {
    int64_t a = 0, b = image->count;
    while (a < b) {
        int64_t mid = (a + b) / 2;
        if (image->segs[mid].off + image->segs[mid].size <= off) a = mid + 1;
        else b = mid;
    }
    return a < image->count && image->segs[a].off <= off ? &image->segs[a] : NULL;
}

static int by_address(const void *left, const void *right) {
    const entry_t *a = left, *b = right;
    if (a->from != b->from) return a->from < b->from ? -1 : 1;
    return a->order < b->order ? -1 : a->order > b->order;
}

/* One copy gives an entry for each part that lies in one stretch on both sides. */
static int add_copy(rampa_map *map, int64_t *room, const rampa_op *op, int64_t at) {
    int64_t done = 0;
    while (done < op->copy) {
        const rampa_seg *from = seg_at(&map->old, op->from + done), *to = seg_at(&map->new_, at + done);
        int64_t step = 1;
        if (!from || !to) {
            /* Up to where the next stretch begins on the side that has none. */
            step = 16;
        } else {
            int64_t left = from->off + from->size - (op->from + done), right = to->off + to->size - (at + done);
            step = left < right ? left : right;
            if (map->count == *room) {
                *room = *room ? *room * 2 : 1024;
                entry_t *grown = realloc(map->entries, (size_t)*room * sizeof(entry_t));
                if (!grown) return -1;
                map->entries = grown;
            }
            int64_t was = from->va + (op->from + done - from->off), is = to->va + (at + done - to->off);
            map->entries[map->count] = (entry_t){was, is - was, map->count};
            map->count++;
        }
        done += step;
    }
    return 0;
}

rampa_map *rampa_map_make(const rampa_ops *ops, const rampa_image *old, const rampa_image *new_, const uint8_t *bytes,
                          int64_t size) {
    rampa_map *map = calloc(1, sizeof(rampa_map));
    int64_t room = 0, at = 0, i, page;
    if (!map) return NULL;
    map->old = *old;
    map->new_ = *new_;
    for (i = 0; i < ops->count; i++) {
        if (ops->rows[i].copy >= LONG_COPY && add_copy(map, &room, &ops->rows[i], at)) goto failed;
        at += ops->rows[i].copy + ops->rows[i].extra;
    }
    if (map->count) qsort(map->entries, (size_t)map->count, sizeof(entry_t), by_address);
    map->page_count = ((old->high - old->low) >> PAGE) + 1;
    if (map->page_count < 1 || map->page_count > MOST_PAGES) map->page_count = 0;
    if (map->page_count) {
        map->pages = malloc((size_t)map->page_count * sizeof(uint32_t));
        if (!map->pages) goto failed;
        for (i = 0, page = 0; page < map->page_count; page++) {
            while (i < map->count && map->entries[i].from <= old->low + (page << PAGE)) i++;
            map->pages[page] = (uint32_t)i;
        }
    }
    if (rampa_fields_find(&map->fields, &map->old, bytes, size)) goto failed;
    return map;
failed:
    rampa_map_free(map);
    return NULL;
}

void rampa_map_free(rampa_map *map) {
    if (!map) return;
    free(map->entries);
    free(map->pages);
    free(map->fields.rows);
    free(map);
}

/* How far what lay at `address` moved: by the nearest entry before it. */
static int64_t shift_of(const rampa_map *map, int64_t address) {
    int64_t low = 0, high = map->count;
    if (map->page_count && address >= map->old.low) {
        int64_t page = (address - map->old.low) >> PAGE;
        if (page < map->page_count) {
            low = map->pages[page];
            high = page + 1 < map->page_count ? map->pages[page + 1] : map->count;
        }
    }
    while (low < high) {
        int64_t mid = (low + high) / 2;
        if (map->entries[mid].from <= address) low = mid + 1;
        else high = mid;
    }
    return low ? map->entries[low - 1].shift : map->count ? map->entries[0].shift : 0;
}

static inline int inside(const rampa_map *map, int64_t address) {
    return address >= map->old.low && address < map->old.high;
}

/* What is done with a field's old and predicted value. */
typedef struct {
    const rampa_map *map;
    const uint8_t *old, *truth; /* `truth`: the new content, when gains are counted */
    uint8_t *out;
    int64_t mask, own;          /* `own`: how far the copy moved; not used when `self` */
    int self;                   /* each field's own shift comes from the map */
    int64_t right[PATTERNS], wrong[PATTERNS];
} work_t;

static inline void settle(work_t *w, int pattern, int64_t from, int64_t at, const void *value, size_t size) {
    if (!w->truth) {
        memcpy(w->out + at, value, size);
        return;
    }
    int before = !memcmp(w->old + from, w->truth + at, size), after = !memcmp(value, w->truth + at, size);
    int n = __builtin_ctz((unsigned)pattern);
    w->right[n] += after && !before;
    w->wrong[n] += before && !after;
}

static inline int64_t own_shift(const work_t *w, int64_t address) {
    return w->self ? shift_of(w->map, address) : w->own;
}

/* A 32-bit field at `from` that counts from the address `base_`, whose own shift is `own`. */
static inline int relative(work_t *w, int pattern, int64_t from, int64_t at, int64_t base_, int64_t own) {
    int64_t target = base_ + (int32_t)rampa_u32(w->old + from);
    if (!inside(w->map, target)) return 0;
    uint32_t value = (uint32_t)(target + shift_of(w->map, target) - base_ - own);
    settle(w, pattern, from, at, &value, 4);
    return 1;
}

/* Code of x86-64: calls and jumps, conditional jumps, operands relative to the next instruction. */
static void code_x86(work_t *w, const rampa_seg *seg, int64_t from, int64_t at, int64_t size) {
    int64_t i = 0;
    while (i + 5 <= size) {
        uint8_t b = w->old[from + i];
        int pattern = 0;
        int64_t skip = 1;
        if ((b & 0xFE) == 0xE8) pattern = P_CALL;
        else if (b == 0x0F && (w->old[from + i + 1] & 0xF0) == 0x80) {
            pattern = P_JUMP;
            skip = 2;
        } else if ((b & 0xC7) == 0x05) pattern = P_DATA;
        if ((pattern & w->mask) && i + skip + 4 <= size) {
            int64_t next = seg->va + (from + i + skip - seg->off) + 4;
            int hit = relative(w, pattern, from + i + skip, at + i + skip, next, own_shift(w, next - 4));
            if (hit && !w->truth) {
                i += skip + 4;
                continue;
            }
        }
        i++;
    }
}

/* Code of ARM64: branches with 26 bits, and pages with the low twelve bits that a later instruction adds. */
static void code_arm(work_t *w, const rampa_seg *seg, int64_t from, int64_t at, int64_t size) {
    int64_t i = (4 - ((seg->va + from - seg->off) & 3)) & 3;
    for (; i + 4 <= size; i += 4) {
        uint32_t ins = rampa_u32(w->old + from + i);
        int64_t pc = seg->va + (from + i - seg->off);
        if ((ins & 0x7C000000u) == 0x14000000u && (w->mask & P_BRANCH)) {
            int64_t target = pc + (int64_t)((int32_t)(ins << 6) >> 6) * 4;
            if (!inside(w->map, target)) continue;
            int64_t gap = target + shift_of(w->map, target) - pc - own_shift(w, pc);
            uint32_t value = (ins & 0xFC000000u) | ((uint32_t)(gap >> 2) & 0x03FFFFFFu);
            settle(w, P_BRANCH, from + i, at + i, &value, 4);
        } else if ((ins & 0x9F000000u) == 0x90000000u && (w->mask & P_PAGE)) {
            int64_t imm = (int64_t)((int32_t)((((ins >> 5) & 0x7FFFFu) << 2 | ((ins >> 29) & 3u)) << 11) >> 11);
            int64_t page = (pc & ~(int64_t)0xFFF) + imm * 4096, n;
            for (n = 4; n <= 32 && i + n + 4 <= size; n += 4) {
                uint32_t next = rampa_u32(w->old + from + i + n);
                int add = (next & 0xFFC00000u) == 0x91000000u, load = (next & 0x3B000000u) == 0x39000000u;
                if (!(add || load) || ((next >> 5) & 31u) != (ins & 31u)) continue;
                int scale = add ? 0 : (int)(next >> 30);
                if (load && (next & 0x04800000u) == 0x04800000u) scale = 4;
                int64_t target = page + ((int64_t)((next >> 10) & 0xFFFu) << scale);
                if (!inside(w->map, target)) break;
                int64_t goal = target + shift_of(w->map, target), here = pc + own_shift(w, pc);
                uint32_t pages = (uint32_t)((goal >> 12) - (here >> 12));
                uint32_t first = (ins & 0x9F00001Fu) | ((pages & 3u) << 29) | (((pages >> 2) & 0x7FFFFu) << 5);
                uint32_t second = (next & ~(0xFFFu << 10)) | (((uint32_t)((goal & 0xFFF) >> scale) & 0xFFFu) << 10);
                settle(w, P_PAGE, from + i, at + i, &first, 4);
                settle(w, P_PAGE, from + i + n, at + i + n, &second, 4);
                break;
            }
        }
    }
}

/* Data: aligned pointers into the image; 32-bit addresses relative to the image's base, where the image has any. */
static void data(work_t *w, const rampa_seg *seg, int64_t from, int64_t at, int64_t size) {
    int64_t i;
    if (seg->kind == 2 && (w->mask & P_RVA)) {
        for (i = (4 - ((seg->va + from - seg->off) & 3)) & 3; i + 4 <= size; i += 4) {
            int64_t target = w->map->old.base + rampa_u32(w->old + from + i);
            if (target == w->map->old.base || !inside(w->map, target)) continue;
            uint32_t value = (uint32_t)(target + shift_of(w->map, target) - w->map->old.base);
            settle(w, P_RVA, from + i, at + i, &value, 4);
        }
        return;
    }
    if (!(w->mask & P_POINTER)) return;
    for (i = (8 - ((seg->va + from - seg->off) & 7)) & 7; i + 8 <= size; i += 8) {
        int64_t target = (int64_t)rampa_u64(w->old + from + i);
        if (!inside(w->map, target)) continue;
        int64_t value = target + shift_of(w->map, target);
        settle(w, P_POINTER, from + i, at + i, &value, 8);
    }
}

static void frame_fields(work_t *w, int64_t from, int64_t at, int64_t size) {
    const rampa_fields *f = &w->map->fields;
    int64_t a = 0, b = f->count;
    while (a < b) {
        int64_t mid = (a + b) / 2;
        if (f->rows[mid].at < from) a = mid + 1;
        else b = mid;
    }
    for (; a < f->count && f->rows[a].at + 4 <= from + size; a++) {
        const rampa_field *row = &f->rows[a];
        int64_t there = at + row->at - from;
        if (!(row->pattern & w->mask)) continue;
        if (row->pattern == P_TABLE) {
            relative(w, P_TABLE, row->at, there, row->base, shift_of(w->map, row->base));
        } else if (row->pattern == P_CIE) {
            int64_t target = row->base - (int32_t)rampa_u32(w->old + row->at);
            uint32_t value = (uint32_t)(row->base + own_shift(w, row->base) - target - shift_of(w->map, target));
            settle(w, P_CIE, row->at, there, &value, 4);
        } else {
            relative(w, P_FRAME, row->at, there, row->base, own_shift(w, row->base));
        }
    }
}

static void stretch(work_t *w, const rampa_seg *seg, int64_t from, int64_t at, int64_t size) {
    if (seg->kind != 1) data(w, seg, from, at, size);
    else if (w->map->old.machine == 2) code_arm(w, seg, from, at, size);
    else code_x86(w, seg, from, at, size);
}

/* The parts of a copy that are loaded; `to` says how far each moved. */
static void copy_fields(work_t *w, int64_t from, int64_t at, int64_t size) {
    int64_t i;
    for (i = 0; i < w->map->old.count; i++) {
        const rampa_seg *seg = &w->map->old.segs[i];
        int64_t a = seg->off > from ? seg->off : from, b = seg->off + seg->size;
        if (b > from + size) b = from + size;
        if (a >= b) continue;
        if (!w->self) {
            const rampa_seg *to = seg_at(&w->map->new_, at + a - from);
            if (!to) continue;
            w->own = (to->va + (at + a - from - to->off)) - (seg->va + (a - seg->off));
        }
        stretch(w, seg, a, at + a - from, b - a);
        frame_fields(w, a, at + a - from, b - a);
    }
}

void rampa_predict(const rampa_map *map, const rampa_ops *ops, const uint8_t *old, int64_t mask, uint8_t *out) {
    work_t w = {.map = map, .old = old, .out = out, .mask = mask};
    int64_t at = 0, i;
    for (i = 0; i < ops->count; i++) {
        if (ops->rows[i].copy) copy_fields(&w, ops->rows[i].from, at, ops->rows[i].copy);
        at += ops->rows[i].copy + ops->rows[i].extra;
    }
}

int64_t rampa_gains(const rampa_map *map, const rampa_ops *ops, const uint8_t *old, const uint8_t *new_) {
    work_t w = {.map = map, .old = old, .truth = new_, .mask = (1 << PATTERNS) - 1};
    int64_t at = 0, i, mask = 0;
    for (i = 0; i < ops->count; i++) {
        if (ops->rows[i].copy) copy_fields(&w, ops->rows[i].from, at, ops->rows[i].copy);
        at += ops->rows[i].copy + ops->rows[i].extra;
    }
    for (i = 0; i < PATTERNS; i++)
        if (w.right[i] - w.wrong[i] > 8) mask |= (int64_t)1 << i;
    return mask;
}

void rampa_rewrite_all(const rampa_map *map, const uint8_t *old, int64_t size, int64_t mask, uint8_t *out) {
    work_t w = {.map = map, .old = old, .out = out, .mask = mask, .self = 1};
    memcpy(out, old, (size_t)size);
    copy_fields(&w, 0, 0, size);
}
