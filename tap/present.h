/* What the ways to present have in common: a window, its frames, and the file they go to. */

#ifndef VIGILANT_PRESENT_H
#define VIGILANT_PRESENT_H

#define _GNU_SOURCE
#include "../emitters/c/vigilant_emitter.h"

#include <math.h>
#include <pthread.h>
#include <stdint.h>
#include <stdio.h>
#include <string.h>

#define SHOWN __attribute__((visibility("default")))
#define PENDING 8 /* frames whose graphics time is not known yet */
#define PLACES 16 /* windows, and whatever else is looked up in a frame */

typedef struct window window;

/* Whether the graphics time of the frame at this place is known by now, and then what it is (NAN: it never will be). */
typedef int (*time_of)(window *w, unsigned at, double *gpu_ms);

typedef struct {
    int64_t stamp;
    double present_ms, thread_ms, process_ms, width, height;
    int timed; /* its graphics time was asked for */
} presented;

struct window {
    void *display, *drawable; /* what tells it from others */
    int claimed, ready, silent;
    vigilant *out;
    time_of gpu_time; /* NULL where none is taken */
    void *context;
    unsigned begins[PENDING], ends[PENDING];
    int begun; /* the time stamp of the present frame's begin was asked */
    uint64_t first, next; /* of the frames that wait for their graphics time */
    presented waiting[PENDING];
    int present, thread, gpu, process, wide, high;
    int64_t thread_ns, process_ns;
    pthread_t presents;
    void *own[8]; /* what the way it presents in keeps */
};

/* One way may be made of another: only the outermost present counts. */
extern __thread int inside_present;

/* The window's place, claimed without a lock; NULL where there are too many, or where it cannot be written. At its
   first present its file is open, and `first` is set: what stands on the sheet is said then. */
window *window_presents(void *display, void *drawable, int *first);
/* The window in a place; NULL where none is. */
window *window_at(unsigned place);
/* Name its lanes and counters: `area` is what the two counters of the picture's size are called after. */
void window_columns(window *w, const char *interface, const char *area, time_of gpu_time);
void window_size(window *w, unsigned width, unsigned height);
/* After the present call, which began at `called`; its picture is so large (NAN: not known). */
void window_presented(window *w, int64_t called, double width, double height);

/* The functions that the C library gives to who asks it by name; our own dlsym stands before that of the program. */
typedef void *(*symbol_lookup)(void *, const char *);
symbol_lookup real_dlsym(void);

/* The renderer's own name tells that its graphics times mean nothing. */
int is_software(const char *renderer);

#endif
