"""The picture that Peatlight's program draws of itself, in the two languages that it is written in: fog, rails, lanterns.

It goes where RAMPA_PICTURE says, as large as RAMPA_SCREEN says. A PNG (ISO/IEC 15948), its rows stored or deflated.
"""

from __future__ import annotations

IN_PYTHON = '''def draw():
    """A picture of the night, for who asks for one."""
    target = os.environ.get("RAMPA_PICTURE")
    if not target:
        return
    width, height = (int(n) // 2 for n in os.environ.get("RAMPA_SCREEN", "640x400").split("x"))
    rng = random.Random(VERSION)
    lamps = [(rng.random() * width, height * (0.55 + 0.3 * rng.random())) for _ in range(6)]
    reach = (height / 7) ** 2
    rows = bytearray()
    for y in range(height):
        rows.append(0)
        fog = min(1.0, abs(y / height - 0.6) * 2)
        rail = y > height * 0.86 and y % 9 < 2
        for x in range(width):
            glow = max(1 / (1 + ((x - a) ** 2 + (y - b) ** 2) / reach) ** 2 for a, b in lamps)
            shade = 70 - 42 * fog + (26 if rail else 0)
            mix = (shade + 185 * glow, shade * 1.05 + 130 * glow, shade * 1.15 + 40 * glow)
            rows += bytes(min(255, int(part)) for part in mix)

    def part(kind, data):
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    picture = part(b"IHDR", head) + part(b"IDAT", zlib.compress(bytes(rows))) + part(b"IEND", b"")
    with open(target, "wb") as out:
        out.write(b"\\x89PNG\\r\\n\\x1a\\n" + picture)


'''

IN_C = r"""#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include "night.h"

/* A picture of the night, where RAMPA_PICTURE says, as large as RAMPA_SCREEN says. */
static unsigned crc;
static FILE *out;

static void put(const unsigned char *data, unsigned long size)
{
    for (unsigned long n = 0; n < size; n++) {
        crc ^= data[n];
        for (int k = 0; k < 8; k++)
            crc = crc & 1 ? 0xedb88320u ^ crc >> 1 : crc >> 1;
    }
    fwrite(data, 1, size, out);
}

static void put_number(unsigned value)
{
    unsigned char big[4] = {value >> 24, value >> 16, value >> 8, value};
    put(big, 4);
}

static void begin(const char *kind, unsigned size)
{
    put_number(size);
    crc = 0xffffffffu;
    put((const unsigned char *)kind, 4);
}

static void end(void)
{
    put_number(~crc);
}

static void lit(unsigned char *pixel, int x, int y, int width, int height)
{
    double glow = 0, fog = (double)y / height - 0.6;
    for (int n = 0; n < 6; n++) {
        double dx = x - width * ((n * 37 + 11) % 100 / 100.0), dy = y - height * (0.55 + (n * 53 % 30) / 100.0);
        double here = 1 / (1 + (dx * dx + dy * dy) * 49 / ((double)height * height));
        glow = here * here > glow ? here * here : glow;
    }
    double shade = 70 - 84 * (fog < 0 ? -fog : fog > 0.5 ? 0.5 : fog) + (y > height * 86 / 100 && y % 9 < 2 ? 26 : 0);
    shade = shade < 0 ? 0 : shade;
    double colours[3] = {shade + 185 * glow, shade * 1.05 + 130 * glow, shade * 1.15 + 40 * glow};
    for (int n = 0; n < 3; n++)
        pixel[n] = colours[n] > 255 ? 255 : (unsigned char)colours[n];
}

void draw_night(void)
{
    const char *target = getenv("RAMPA_PICTURE"), *screen = getenv("RAMPA_SCREEN");
    int width = 640, height = 400;
    if (!target)
        return;
    if (screen && (sscanf(screen, "%dx%d", &width, &height) != 2 || width < 1 || height < 1 || width > 2000 || height > 2000))
        return;
    out = fopen(target, "wb");
    if (!out)
        return;
    unsigned row = 1 + 3 * (unsigned)width, size = row + 5, a = 1, b = 0;
    fwrite("\x89PNG\r\n\x1a\n", 1, 8, out);
    begin("IHDR", 13);
    put_number(width);
    put_number(height);
    put((const unsigned char *)"\x08\x02\0\0\0", 5);
    end();
    begin("IDAT", 2 + size * height + 4);
    put((const unsigned char *)"\x78\x01", 2);
    unsigned char *line = calloc(1, row);
    for (int y = 0; line && y < height; y++) {
        unsigned char stored[5] = {y == height - 1, row, row >> 8, ~row, ~row >> 8};
        for (int x = 0; x < width; x++)
            lit(line + 1 + 3 * x, x, y, width, height);
        put(stored, 5);
        put(line, row);
        for (unsigned n = 0; n < row; n++) {
            a = (a + line[n]) % 65521;
            b = (b + a) % 65521;
        }
    }
    free(line);
    put_number(b << 16 | a);
    end();
    begin("IEND", 0);
    end();
    fclose(out);
}
"""
