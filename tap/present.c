/* Record a program as it is: loaded before a program on Linux (LD_PRELOAD), notes each frame it presents by GLX, EGL
   (gl.c) or Vulkan (vulkan.c).

   A frame is the time from one return of the present call to the next, of one window. Beside it: the time inside the
   call (waiting), processor time of the presenting thread, processor time of the whole process, and graphics time by
   time stamps where the driver has them and is no software renderer. Each window's frames go to a file of their own
   in the folder that VIGILANT_TAP_FOLDER names, made at its first present: a program that forks, or opens two windows,
   is told apart by it, and one that never presents leaves none. Nothing of the program is changed, but dlsym: programs
   that look up the present call by name are handed ours. Licence: Apache-2.0. */

#define VIGILANT_EMITTER_BODY
#include "present.h"

#include <dlfcn.h>
#include <unistd.h>

static window windows[PLACES];
__thread int inside_present;

symbol_lookup real_dlsym(void) {
    static symbol_lookup found;
    static const char *const versions[] = {"GLIBC_2.34", "GLIBC_2.17", "GLIBC_2.2.5"};
    for (unsigned i = 0; !found && i < sizeof versions / sizeof *versions; i++)
        found = (symbol_lookup)dlvsym(RTLD_NEXT, "dlsym", versions[i]);
    return found;
}

int is_software(const char *renderer) {
    static const char *const names[] = {"llvmpipe", "softpipe", "SwiftShader", "swrast", "Software Rasterizer"};
    for (unsigned i = 0; i < sizeof names / sizeof *names; i++)
        if (strstr(renderer, names[i])) return 1;
    return 0;
}

static int64_t clock_ns(clockid_t clock) {
    struct timespec now;
    clock_gettime(clock, &now);
    return (int64_t)now.tv_sec * 1000000000 + now.tv_nsec;
}

/* ---- a window's first present ---- */

static vigilant *open_file(const char *folder) {
    char path[4096];
    for (int number = 1; number <= 999; number++) {
        if (snprintf(path, sizeof path, "%s/%d-%d.jsonl", folder, (int)getpid(), number) >= (int)sizeof path) return NULL;
        if (access(path, F_OK)) return vigilant_open_at(path, "shown to shown");
    }
    return NULL;
}

static window *place_of(void *display, void *drawable) {
    for (int i = 0; i < PLACES; i++) {
        window *w = &windows[i];
        if (!__atomic_load_n(&w->ready, __ATOMIC_ACQUIRE)) {
            int none = 0;
            if (!__atomic_compare_exchange_n(&w->claimed, &none, 1, 0, __ATOMIC_ACQ_REL, __ATOMIC_ACQUIRE)) continue;
            w->display = display;
            w->drawable = drawable;
            __atomic_store_n(&w->ready, 1, __ATOMIC_RELEASE);
            return w;
        }
        if (w->display == display && w->drawable == drawable) return w;
    }
    return NULL;
}

window *window_presents(void *display, void *drawable, int *first) {
    window *w = place_of(display, drawable);
    *first = 0;
    if (!w || w->silent) return NULL;
    if (!w->out) {
        const char *folder = getenv("VIGILANT_TAP_FOLDER");
        w->out = folder && *folder ? open_file(folder) : NULL;
        w->silent = !w->out;
        *first = !w->silent;
    }
    return w->silent ? NULL : w;
}

window *window_at(unsigned place) { return __atomic_load_n(&windows[place].ready, __ATOMIC_ACQUIRE) ? &windows[place] : NULL; }

void window_columns(window *w, const char *interface, const char *area, time_of gpu_time) {
    char name[VIGILANT_NAME];
    w->gpu_time = gpu_time;
    w->present = vigilant_lane(w->out, "present", "waiting");
    w->thread = vigilant_lane(w->out, "presenting thread", "processor");
    w->gpu = gpu_time ? vigilant_lane(w->out, "graphics", "graphics") : VIGILANT_NONE;
    w->process = vigilant_counter(w->out, "process core-ms");
    snprintf(name, sizeof name, "%s width px", area);
    w->wide = vigilant_counter(w->out, name);
    snprintf(name, sizeof name, "%s height px", area);
    w->high = vigilant_counter(w->out, name);
    vigilant_condition(w->out, "recorded by", "tap");
    vigilant_condition(w->out, "presented through", interface);
}

void window_size(window *w, unsigned width, unsigned height) {
    char text[48];
    snprintf(text, sizeof text, "%ux%u", width, height);
    vigilant_condition(w->out, "window", text);
}

/* A child has windows of its own; what the parent opened is the parent's. */
static void in_child(void) { memset(windows, 0, sizeof windows); }

__attribute__((constructor)) static void begin(void) { pthread_atfork(NULL, NULL, in_child); }

/* ---- every present ---- */

static void write_frame(window *w, const presented *f, double gpu_ms) {
    vigilant_set(w->out, w->present, f->present_ms);
    vigilant_set(w->out, w->thread, f->thread_ms);
    if (f->timed) vigilant_set(w->out, w->gpu, gpu_ms);
    vigilant_count(w->out, w->process, f->process_ms);
    vigilant_count(w->out, w->wide, f->width);
    vigilant_count(w->out, w->high, f->height);
    vigilant_frame_at(w->out, f->stamp);
}

/* Write the frames whose graphics time is known; `all` those too whose time never will be. */
static void write_known(window *w, int all) {
    while (w->first < w->next) {
        unsigned at = (unsigned)(w->first % PENDING);
        double gpu_ms = NAN;
        if (w->waiting[at].timed && !all && w->gpu_time && !w->gpu_time(w, at, &gpu_ms) && w->next - w->first < PENDING) return;
        write_frame(w, &w->waiting[at], gpu_ms);
        w->first++;
    }
}

void window_presented(window *w, int64_t called, double width, double height) {
    int64_t now = vigilant_now_ns();
    int64_t thread = clock_ns(CLOCK_THREAD_CPUTIME_ID), process = clock_ns(CLOCK_PROCESS_CPUTIME_ID);
    if (!w->thread_ns) vigilant_frame_at(w->out, now); /* starts the clock */
    else {
        presented *f = &w->waiting[w->next % PENDING];
        f->stamp = now;
        f->present_ms = (double)(now - called) / 1e6;
        f->thread_ms = pthread_equal(w->presents, pthread_self()) ? (double)(thread - w->thread_ns) / 1e6 : NAN;
        f->process_ms = (double)(process - w->process_ns) / 1e6;
        f->width = width;
        f->height = height;
        f->timed = w->gpu_time && w->begun;
        w->next++;
        write_known(w, !w->gpu_time);
    }
    w->presents = pthread_self();
    w->thread_ns = thread;
    w->process_ns = process;
}

__attribute__((destructor)) static void end(void) {
    for (int i = 0; i < PLACES; i++) {
        window *w = &windows[i];
        if (!w->out) continue;
        write_known(w, 1); /* no context is current any more */
        vigilant_close(w->out);
        w->out = NULL;
    }
}
