/* Predicting how addresses move between two builds of a program, and coding what the prediction missed. */
#ifndef RAMPA_PREDICT_H
#define RAMPA_PREDICT_H
#include "match.h"

/* Patterns of address fields; a difference carries the mask of those that pay in its file. */
enum { P_CALL = 1, P_JUMP = 2, P_DATA = 4, P_FRAME = 8, P_CIE = 16, P_TABLE = 32, P_POINTER = 64, P_BRANCH = 128, P_PAGE = 256, P_RVA = 512 };
enum { PATTERNS = 10 };

/* A stretch of a buffer that is loaded at an address. `off`, `size`: in the buffer, bytes. `kind`: 1 holds code. */
typedef struct {
    int64_t off, size, va, kind;
} rampa_seg;

/* A program's layout: stretches sorted by `off`, the addresses [low, high) that belong to the image, where pointers and
   relative addresses count from. `machine`: 1 x86-64, 2 ARM64. `frames`: offset of the frame header in the buffer, or -1. */
typedef struct {
    const rampa_seg *segs;
    int64_t count, low, high, base, machine, frames;
} rampa_image;

typedef struct rampa_map rampa_map;

/* NULL when there is no memory. */
rampa_map *rampa_map_make(const rampa_ops *ops, const rampa_image *old, const rampa_image *new_, const uint8_t *bytes,
                          int64_t size);
void rampa_map_free(rampa_map *map);

/* Copies with address fields rewritten, from `old` to `out`, whose literal places are left alone. */
void rampa_predict(const rampa_map *map, const rampa_ops *ops, const uint8_t *old, int64_t mask, uint8_t *out);
/* The mask of the patterns that gain when `new_` is the truth. */
int64_t rampa_gains(const rampa_map *map, const rampa_ops *ops, const uint8_t *old, const uint8_t *new_);
/* All of `old` rewritten by where its own addresses went. */
void rampa_rewrite_all(const rampa_map *map, const uint8_t *old, int64_t size, int64_t mask, uint8_t *out);

typedef struct {
    uint8_t *bytes;
    int64_t size, room;
} rampa_bytes;

/* What differs between `guess` and `new_`: gaps (variable-length integers) and tokens. 0, or -1 without memory. */
int rampa_events(const uint8_t *guess, const uint8_t *new_, int64_t size, rampa_bytes *gaps, rampa_bytes *tokens);
/* Corrects `guess` in place. 0, or -1 when the streams do not fit it. */
int rampa_correct(uint8_t *guess, int64_t size, const uint8_t *gaps, int64_t gaps_size, const uint8_t *tokens,
                  int64_t tokens_size);
#endif
