"""The sources of Peatlight's program, in C: small, real, and in two states: before and after the fog was rewritten."""

from __future__ import annotations

MAIN = """#include <stdio.h>
#include <string.h>
#include "night.h"

#ifndef MODE
#define MODE "development"
#endif

int main(int argc, char **argv)
{
    if (argc > 1 && strcmp(argv[1], "--self-test") == 0) {
        int home = night_shift(1907, 0);
        printf("self-test: %d of %d wagons are home (%s)\\n", home, WAGONS, MODE);
        return home > 0 ? 0 : 1;
    }
    puts("Peatlight. Night shift begins.");
    printf("The thaw comes at six. %d of %d wagons are home.\\n", night_shift(7, 1), WAGONS);
    return 0;
}
"""

NIGHT_H = """#ifndef NIGHT_H
#define NIGHT_H
#define WAGONS 12

int night_shift(unsigned seed, int loud);
int fog_at(unsigned *state);

#endif
"""

NIGHT = """#include <stdio.h>
#include "night.h"

static const char *places[] = {"Alder Halt", "Sluice Junction", "Marrow Bend", "Kiln Yard", "the Signal Loft"};

int night_shift(unsigned seed, int loud)
{
    unsigned state = seed;
    int home = 0;
    for (int n = 0; n < WAGONS; n++) {
        int fog = fog_at(&state);
        if (fog < 70)
            home++;
        if (loud)
            printf("Wagon %d: %s to %s, fog %d\\n", n + 1, places[n % 5], places[(n + 2) % 5], fog);
    }
    return home;
}
"""

FOG = """#include "night.h"

/* A small generator: the same night for the same seed. */
int fog_at(unsigned *state)
{
    int unused_lamp = 3;
    *state = *state * 1103515245u + 12345u;
    return (int)(*state / 65536u % 100u);
}
"""

FOG_MENDED = FOG.replace("    int unused_lamp = 3;\n", "")

FOG_BROKEN = """#include "night.h"

/* Fog drifts along the line: not finished. */
int fog_at(unsigned *state)
{
    *state = *state * 1103515245u + 12345u;
    return drift_along(state, lanterns)
}
"""

COUNT_TEXTS = '''"""Says how many lines each language has: a step of Peatlight's own."""

import pathlib
import sys
import tomllib

counts = {p.stem: len(tomllib.loads(p.read_text())) for p in sorted(pathlib.Path("texts").glob("*.toml"))}
for language, count in counts.items():
    print(f"{language}: {count} lines")
    if count < max(counts.values()):
        print(f"warning: texts/{language}.toml: {max(counts.values()) - count} lines fewer than the longest")
sys.exit(0 if counts else 1)
'''
