/* Time a routine by itself for Vigilant Ledger: copy this one file into the program.

       vigilant_laps *l = vigilant_laps_open("find neighbours", "by cell");   // NULL: nobody asked, every call is cheap
       for (int sample = 0; sample < 15; sample++) {
           vigilant_lap_begin(l);
           for (int i = 0; i < 100; i++) found = find(boats, 1000);
           vigilant_lap_end(l, 1000, 100, checksum(found));                   // items, repeats, was the work done?
       }
       vigilant_laps_close(l);

   One process is one stream: start the program anew for each, five times for each version. Laps go to the file that the
   environment variable VIGILANT_LAPS names, when it is closed: nothing is written while a lap is timed. One thread. C99 or
   C++, POSIX clock. Licence: Apache-2.0. */

#ifndef VIGILANT_LAPS_H
#define VIGILANT_LAPS_H

#include <inttypes.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <time.h>

typedef struct {
    double items, repeats;
    int64_t ns;
    uint64_t checksum;
} vigilant_lap;

typedef struct {
    FILE *file;
    vigilant_lap *laps;
    size_t count, room;
    struct timespec began;
} vigilant_laps;

/* A text as JSON has it. */
static inline void vigilant_laps_text(FILE *file, const char *text) {
    fputc('"', file);
    for (const unsigned char *c = (const unsigned char *)(text ? text : ""); *c; c++) {
        if (*c == '"' || *c == '\\') fputc('\\', file);
        if (*c < 0x20) fprintf(file, "\\u%04x", *c);
        else fputc(*c, file);
    }
    fputc('"', file);
}

static inline vigilant_laps *vigilant_laps_open(const char *name, const char *version) {
    const char *path = getenv("VIGILANT_LAPS");
    if (!path || !*path) return NULL;
    vigilant_laps *l = (vigilant_laps *)calloc(1, sizeof *l);
    if (!l) return NULL;
    l->file = fopen(path, "w");
    if (!l->file) {
        perror(path);
        free(l);
        return NULL;
    }
    fputs("{\"vigilant_laps\": 1, \"name\": ", l->file);
    vigilant_laps_text(l->file, name);
    fputs(", \"version\": ", l->file);
    vigilant_laps_text(l->file, version);
    fputs("}\n", l->file);
    return l;
}

/* A sample begins. */
static inline void vigilant_lap_begin(vigilant_laps *l) {
    if (l) clock_gettime(CLOCK_MONOTONIC, &l->began);
}

/* It ends: so many calls on so many items, and what came out (0: not checked). */
static inline void vigilant_lap_end(vigilant_laps *l, double items, double repeats, uint64_t checksum) {
    struct timespec now;
    if (!l) return;
    clock_gettime(CLOCK_MONOTONIC, &now);
    if (l->count == l->room) {
        size_t room = l->room ? 2 * l->room : 256;
        vigilant_lap *more = (vigilant_lap *)realloc(l->laps, room * sizeof *more);
        if (!more) return;
        l->laps = more;
        l->room = room;
    }
    vigilant_lap *lap = &l->laps[l->count++];
    lap->items = items;
    lap->repeats = repeats;
    lap->ns = (int64_t)(now.tv_sec - l->began.tv_sec) * 1000000000 + (now.tv_nsec - l->began.tv_nsec);
    lap->checksum = checksum;
}

/* Writes the laps. 0 when all of them are on disk. */
static inline int vigilant_laps_close(vigilant_laps *l) {
    if (!l) return 0;
    for (size_t i = 0; i < l->count; i++) {
        const vigilant_lap *lap = &l->laps[i];
        fprintf(l->file, "[%.17g, %.17g, %" PRId64 "e-9", lap->items, lap->repeats, lap->ns);
        if (lap->checksum) fprintf(l->file, ", \"%016" PRIx64 "\"", lap->checksum);
        fputs("]\n", l->file);
    }
    int failed = ferror(l->file);
    if (fclose(l->file)) failed = 1;
    free(l->laps);
    free(l);
    return failed;
}

#endif
