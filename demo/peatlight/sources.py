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
    leave_a_word();
    if (argc > 1 && strcmp(argv[1], "--self-test") == 0) {
        draw_night();
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
void leave_a_word(void);
void draw_night(void);

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

CRASH = r"""#define _GNU_SOURCE
#include <errno.h>
#include <execinfo.h>
#include <link.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <ucontext.h>
#include <unistd.h>
#include "night.h"

/* When the night falls over, it says where: a rampa-crash file at RAMPA_CRASH_REPORT. Nothing of who plays is in it. */
static const int fatal[] = {SIGSEGV, SIGBUS, SIGILL, SIGFPE, SIGABRT};
static const char *names[] = {"SIGSEGV", "SIGBUS", "SIGILL", "SIGFPE", "SIGABRT"};
static const char *target;
static char program[100];

struct module {
    char name[100];
    char id[80];
    unsigned long base;
};

static int find_module(struct dl_phdr_info *info, size_t size, void *wanted)
{
    struct module *m = wanted;
    int here = 0;
    (void)size;
    for (int n = 0; n < info->dlpi_phnum; n++) {
        const ElfW(Phdr) *p = &info->dlpi_phdr[n];
        unsigned long start = info->dlpi_addr + p->p_vaddr;
        here |= p->p_type == PT_LOAD && m->base >= start && m->base < start + p->p_memsz;
    }
    if (!here)
        return 0;
    const char *slash = strrchr(info->dlpi_name, '/');
    const char *name = slash ? slash + 1 : info->dlpi_name;
    snprintf(m->name, sizeof m->name, "%s", *name ? name : program);
    for (int n = 0; n < info->dlpi_phnum; n++) {
        const ElfW(Phdr) *p = &info->dlpi_phdr[n];
        const unsigned char *note = (const unsigned char *)(info->dlpi_addr + p->p_vaddr);
        const ElfW(Nhdr) *head = (const void *)note;
        if (p->p_type != PT_NOTE || head->n_type != 3 || head->n_descsz > 32)
            continue;
        for (unsigned k = 0; k < head->n_descsz; k++)
            sprintf(m->id + 2 * k, "%02x", note[sizeof *head + (head->n_namesz + 3) / 4 * 4 + k]);
    }
    m->base = info->dlpi_addr;
    return 1;
}

static void say_where(int sig, siginfo_t *info, void *context)
{
    void *frames[48];
    struct module modules[48] = {0};
    unsigned long fault = (unsigned long)info->si_addr;
    int count = backtrace(frames, 48), first = 0, known = 0;
#if defined(__x86_64__)
    fault = (unsigned long)((ucontext_t *)context)->uc_mcontext.gregs[REG_RIP];
#endif
    for (int n = 0; n < count; n++)
        if ((unsigned long)frames[n] == fault)
            first = n;
    FILE *out = fopen(target, "w");
    if (!out)
        _exit(1);
    for (unsigned n = 0; n < sizeof fatal / sizeof *fatal; n++)
        if (fatal[n] == sig)
            fprintf(out, "{\"format\":\"rampa-crash\",\"version\":1,\"reason\":\"%s\",\"frames\":[", names[n]);
    for (int n = first; n < count; n++) {
        struct module *m = &modules[known];
        m->base = (unsigned long)frames[n];
        if (!dl_iterate_phdr(find_module, m))
            continue;
        fprintf(out, "%s[%d,%lu]", known ? "," : "", known, (unsigned long)frames[n] - m->base);
        known++;
    }
    fprintf(out, "],\"modules\":[");
    for (int n = 0; n < known; n++)
        fprintf(out, "%s{\"name\":\"%s\",\"build_id\":\"%s\"}", n ? "," : "", modules[n].name, modules[n].id);
    fprintf(out, "]}");
    fclose(out);
    signal(sig, SIG_DFL);
    raise(sig);
}

void leave_a_word(void)
{
    struct sigaction act = {.sa_sigaction = say_where, .sa_flags = SA_SIGINFO | SA_RESETHAND};
    void *warm[1];
    target = getenv("RAMPA_CRASH_REPORT");
    if (!target)
        return;
    snprintf(program, sizeof program, "%s", program_invocation_short_name);
    backtrace(warm, 1); /* loads what it needs now, not in the middle of a crash */
    for (unsigned n = 0; n < sizeof fatal / sizeof *fatal; n++)
        sigaction(fatal[n], &act, 0);
}
"""

FOG_DEEP = """#include <stdlib.h>
#include <string.h>
#include "night.h"

static const int near[] = {1, 1, 1, 1, 1};
static const int far[] = {1, 1, 1, 2, 2};

/* How much deeper fog looks, by the class of the device; near for all that have one screen. */
static const int *depths(void)
{
    const char *form = getenv("RAMPA_DEVICE_CLASS");
    if (!form || strncmp(form, "visor-", 6) != 0 || strcmp(form, "visor-1") == 0)
        return near;
    return strcmp(form, "visor-3") == 0 ? far : 0;
}

int fog_at(unsigned *state)
{
    const int *depth = depths();
    *state = *state * 1103515245u + 12345u;
    int fog = (int)(*state / 65536u % 100u);
    return fog * depth[fog / 20];
}
"""
"""Visors of the second class were forgotten."""

FOG_WHOLE = FOG_DEEP.replace('    return strcmp(form, "visor-3") == 0 ? far : 0;\n', "    return far;\n")

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
