/* .eh_frame_hdr and .eh_frame (Linux Standard Base, Core, 10.6): 32-bit pointers relative to themselves or to the table.
   The bytes are hostile: every length is checked against the buffer before it is used. */
#include "fields.h"
#include <stdlib.h>

enum { PCREL_SDATA4 = 0x1B, UDATA4 = 0x03, DATAREL_SDATA4 = 0x3B };

static int add(rampa_fields *out, int64_t at, int64_t base, int pattern) {
    if (out->count == out->room) {
        int64_t room = out->room ? out->room * 2 : 4096;
        rampa_field *grown = realloc(out->rows, (size_t)room * sizeof(rampa_field));
        if (!grown) return -1;
        out->rows = grown;
        out->room = room;
    }
    out->rows[out->count++] = (rampa_field){at, base, pattern};
    return 0;
}

static int64_t address_at(const rampa_image *image, int64_t at) {
    int64_t i;
    for (i = 0; i < image->count; i++) {
        const rampa_seg *s = &image->segs[i];
        if (at >= s->off && at < s->off + s->size) return s->va + at - s->off;
    }
    return -1;
}

static int64_t place_of(const rampa_image *image, int64_t address) {
    int64_t i;
    for (i = 0; i < image->count; i++) {
        const rampa_seg *s = &image->segs[i];
        if (address >= s->va && address < s->va + s->size) return s->off + address - s->va;
    }
    return -1;
}

/* What a CIE's augmentation says of its descriptions: whether starts are relative to themselves, whether there is a
   pointer to language-specific data and how it is written. */
typedef struct {
    int64_t at;
    int relative, augmented, lsda;
} cie_t;

static int skip_leb(const uint8_t *bytes, int64_t *at, int64_t end) {
    while (*at < end && (bytes[*at] & 0x80)) ++*at;
    return ++*at <= end;
}

static cie_t read_cie(const uint8_t *bytes, int64_t at, int64_t end) {
    cie_t cie = {at, 0, 0, 0xFF};
    int64_t p = at + 9, word = at + 9;
    while (p < end && bytes[p]) p++;
    if (p >= end || bytes[word] != 'z') return cie;
    p++;
    if (!skip_leb(bytes, &p, end) || !skip_leb(bytes, &p, end) || !skip_leb(bytes, &p, end)) return cie;
    if (!skip_leb(bytes, &p, end)) return cie;
    cie.augmented = 1;
    for (word++; word < end && bytes[word] && p < end; word++) {
        if (bytes[word] == 'R') cie.relative = bytes[p++] == PCREL_SDATA4;
        else if (bytes[word] == 'L') cie.lsda = bytes[p++];
        else if (bytes[word] == 'P') {
            if ((bytes[p] & 0x0F) != 0x0B && (bytes[p] & 0x0F) != 0x03) return cie;
            p += 5;
        } else if (bytes[word] != 'S' && bytes[word] != 'B') return cie;
    }
    return cie;
}

static int read_frames(rampa_fields *out, const rampa_image *image, const uint8_t *bytes, int64_t at, int64_t size) {
    cie_t cie = {-1, 0, 0, 0xFF};
    while (at + 8 <= size) {
        uint32_t length = rampa_u32(bytes + at), back = rampa_u32(bytes + at + 4);
        int64_t end = at + 4 + (int64_t)length, here = address_at(image, at + 4);
        if (length < 4 || length == 0xFFFFFFFFu || end > size || here < 0) break;
        if (back != 0 && length >= 13) {
            int64_t from = at + 4 - (int64_t)back;
            if (from < 0 || from + 13 > size) break;
            if (from != cie.at) {
                int64_t stop = from + 4 + (int64_t)rampa_u32(bytes + from);
                cie = read_cie(bytes, from, stop < size ? stop : size);
                cie.at = from;
            }
            if (add(out, at + 4, here, P_CIE)) return -1;
            if (cie.relative && add(out, at + 8, here + 4, P_FRAME)) return -1;
            if (cie.relative && cie.augmented && cie.lsda == PCREL_SDATA4 && length >= 17 && bytes[at + 16] >= 4 &&
                at + 21 <= end && rampa_u32(bytes + at + 17) != 0 && add(out, at + 17, here + 13, P_FRAME))
                return -1;
        }
        at = end;
    }
    return 0;
}

static int by_place(const void *left, const void *right) {
    const rampa_field *a = left, *b = right;
    return a->at < b->at ? -1 : a->at > b->at;
}

int rampa_fields_find(rampa_fields *out, const rampa_image *image, const uint8_t *bytes, int64_t size) {
    int64_t at = image->frames, base, i, rows;
    if (at < 0 || at + 12 > size || bytes[at] != 1 || bytes[at + 1] != PCREL_SDATA4) return 0;
    base = address_at(image, at);
    if (base < 0) return 0;
    if (add(out, at + 4, base + 4, P_FRAME)) return -1;
    if (bytes[at + 2] == UDATA4 && bytes[at + 3] == DATAREL_SDATA4) {
        rows = rampa_u32(bytes + at + 8);
        if (rows > (size - at - 12) / 8) rows = (size - at - 12) / 8;
        for (i = 0; i < rows * 2; i++)
            if (add(out, at + 12 + i * 4, base, P_TABLE)) return -1;
    }
    int64_t frames = place_of(image, base + 4 + (int32_t)rampa_u32(bytes + at + 4));
    if (frames >= 0 && read_frames(out, image, bytes, frames, size)) return -1;
    qsort(out->rows, (size_t)out->count, sizeof(rampa_field), by_place);
    return 0;
}
