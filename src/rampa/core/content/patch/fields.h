/* Address fields whose places the frame header of an ELF image gives away. */
#ifndef RAMPA_FIELDS_H
#define RAMPA_FIELDS_H
#include "predict.h"

/* `at`: the field's place in the buffer; `base`: the address that its value counts from. */
typedef struct {
    int64_t at, base;
    int pattern;
} rampa_field;

typedef struct {
    rampa_field *rows;
    int64_t count, room;
} rampa_fields;

/* Sorted by place. 0, or -1 without memory; a header that cannot be read gives no fields. */
int rampa_fields_find(rampa_fields *out, const rampa_image *image, const uint8_t *bytes, int64_t size);
#endif
