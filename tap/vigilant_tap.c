/* Record a program as it is: loaded before a program on Linux (LD_PRELOAD), notes each frame it presents by GLX or EGL.

   A frame is the time from one return of the present call to the next, of one window. Beside it: the time inside the
   call (waiting), processor time of the presenting thread, processor time of the whole process, and graphics time by
   time stamps where the driver has them and is no software renderer. Each window's frames go to a file of their own
   in the folder that VIGILANT_TAP_FOLDER names, made at its first present: a program that forks, or opens two windows,
   is told apart by it, and one that never presents leaves none. Nothing of the program is changed, but dlsym: programs
   that look up the present call by name are handed ours. Licence: Apache-2.0. */

#define _GNU_SOURCE
#define VIGILANT_EMITTER_BODY
#include "../emitters/c/vigilant_emitter.h"

#include <dlfcn.h>
#include <unistd.h>

#define SHOWN __attribute__((visibility("default")))
#define WINDOWS 16
#define PENDING 8 /* frames whose graphics time is not known yet */

typedef void *(*lookup)(const char *);

/* What is known of the graphics library's functions, found through the program's own. */
#define GL_VENDOR 0x1F00
#define GL_RENDERER 0x1F01
#define GL_VERSION 0x1F02
#define GL_EXTENSIONS 0x1F03
#define GL_VIEWPORT 0x0BA2
#define GL_TIMESTAMP 0x8E28
#define GL_QUERY_RESULT 0x8866
#define GL_QUERY_RESULT_AVAILABLE 0x8867
#define GL_GPU_DISJOINT 0x8FBB

typedef struct {
    const unsigned char *(*get_string)(unsigned);
    void (*get_integer)(unsigned, int *);
    void (*gen_queries)(int, unsigned *);
    void (*query_counter)(unsigned, unsigned);
    void (*query_ready)(unsigned, unsigned, unsigned *);
    void (*query_result)(unsigned, unsigned, uint64_t *);
    int timed; /* whether graphics time is taken */
    int embedded;
} graphics;

typedef struct {
    int64_t stamp;
    double present_ms, thread_ms, process_ms, width, height;
    int asked; /* both of its time stamps were */
} frame;

typedef struct {
    void *display, *drawable;
    int claimed, ready, silent;
    vigilant *out;
    graphics gl;
    void *context;
    int present, thread, gpu, process, wide, high;
    int64_t thread_ns, process_ns;
    pthread_t presents;
    unsigned begins[PENDING], ends[PENDING];
    frame waiting[PENDING];
    uint64_t first, next; /* of the frames that wait */
    int begun;            /* the time stamp of the present frame's begin was asked */
} window;

static window windows[WINDOWS];
static int swap_interval = -1000; /* not set by the program */
static __thread int inside;

static int64_t clock_ns(clockid_t clock) {
    struct timespec now;
    clock_gettime(clock, &now);
    return (int64_t)now.tv_sec * 1000000000 + now.tv_nsec;
}

/* ---- finding what we stand before ---- */

typedef void *(*symbol_lookup)(void *, const char *);

static symbol_lookup real_dlsym(void) {
    static symbol_lookup found;
    static const char *const versions[] = {"GLIBC_2.34", "GLIBC_2.17", "GLIBC_2.2.5"};
    for (unsigned i = 0; !found && i < sizeof versions / sizeof *versions; i++)
        found = (symbol_lookup)dlvsym(RTLD_NEXT, "dlsym", versions[i]);
    return found;
}

/* The libraries in which the program looked up its present call by name: they may be known to it alone. */
static void *looked_in[2];

/* The function of that name behind ours: of a library loaded already, else of the one it lives in. */
static void *behind(const char *name, const char *library) {
    void *handle = looked_in[name[0] == 'e'];
    void *found = handle ? real_dlsym()(handle, name) : NULL;
    if (!found) found = real_dlsym()(RTLD_NEXT, name);
    if (found) return found;
    handle = dlopen(library, RTLD_LAZY | RTLD_NOLOAD);
    if (!handle) handle = dlopen(library, RTLD_LAZY);
    return handle ? real_dlsym()(handle, name) : NULL;
}

#define BEHIND(type, name, library)                                                                                    \
    static void *found_##name;                                                                                         \
    static type real_##name(void) {                                                                                    \
        if (!found_##name) found_##name = behind(#name, library);                                                      \
        return (type)found_##name;                                                                                     \
    }

typedef void (*glx_swap)(void *, unsigned long);
typedef unsigned (*egl_swap)(void *, void *);
typedef unsigned (*egl_swap_damage)(void *, void *, const int *, int);
typedef int (*set_interval)(int);
typedef int (*set_interval_unsigned)(unsigned);
typedef void (*glx_interval)(void *, unsigned long, int);
typedef unsigned (*egl_interval)(void *, int);
typedef void *(*current)(void);
typedef unsigned (*egl_query)(void *, void *, int, int *);

BEHIND(glx_swap, glXSwapBuffers, "libGL.so.1")
BEHIND(lookup, glXGetProcAddress, "libGL.so.1")
BEHIND(lookup, glXGetProcAddressARB, "libGL.so.1")
BEHIND(current, glXGetCurrentContext, "libGL.so.1")
BEHIND(egl_swap, eglSwapBuffers, "libEGL.so.1")
BEHIND(lookup, eglGetProcAddress, "libEGL.so.1")
BEHIND(current, eglGetCurrentContext, "libEGL.so.1")
BEHIND(egl_query, eglQuerySurface, "libEGL.so.1")
BEHIND(egl_interval, eglSwapInterval, "libEGL.so.1")

/* ---- a window's first present ---- */

static int software(const char *renderer) {
    static const char *const names[] = {"llvmpipe", "softpipe", "SwiftShader", "swrast", "Software Rasterizer"};
    for (unsigned i = 0; i < sizeof names / sizeof *names; i++)
        if (strstr(renderer, names[i])) return 1;
    return 0;
}

static const char *text_of(const graphics *gl, unsigned name) {
    const char *text = gl->get_string ? (const char *)gl->get_string(name) : NULL;
    return text ? text : "";
}

/* The functions that time stamps need, under the names of this interface; without one of them none are taken. */
static const char *find_timer(graphics *gl, lookup find) {
    const char *version = text_of(gl, GL_VERSION);
    int embedded = !strncmp(version, "OpenGL ES", 9);
    /* Of a desktop's context the extensions are not asked: some call that an error, and the program would see it. */
    int has = embedded ? strstr(text_of(gl, GL_EXTENSIONS), "GL_EXT_disjoint_timer_query") != NULL
                       : version[0] > '3' || (version[0] == '3' && version[1] == '.' && version[2] >= '3');
    if (!*version) return "no context was current";
    if (software(text_of(gl, GL_RENDERER))) return "not taken: a software renderer";
    if (!has) return "absent";
    *(void **)&gl->gen_queries = find(embedded ? "glGenQueriesEXT" : "glGenQueries");
    *(void **)&gl->query_counter = find(embedded ? "glQueryCounterEXT" : "glQueryCounter");
    *(void **)&gl->query_ready = find(embedded ? "glGetQueryObjectuivEXT" : "glGetQueryObjectuiv");
    *(void **)&gl->query_result = find(embedded ? "glGetQueryObjectui64vEXT" : "glGetQueryObjectui64v");
    gl->embedded = embedded;
    gl->timed = gl->gen_queries && gl->query_counter && gl->query_ready && gl->query_result;
    return gl->timed ? "present" : "absent";
}

typedef int (*error_handler)(void *, void *);
static int no_error(void *display, void *event) {
    (void)display;
    (void)event;
    return 0;
}

/* The size of an X window. What is none is no fault of the program: its error is taken here. */
static int x_size(void *display, unsigned long drawable, unsigned *width, unsigned *height) {
    typedef int (*geometry)(void *, unsigned long, unsigned long *, int *, int *, unsigned *, unsigned *, unsigned *, unsigned *);
    typedef error_handler (*handler)(error_handler);
    geometry ask = (geometry)real_dlsym()(RTLD_DEFAULT, "XGetGeometry");
    handler set = (handler)real_dlsym()(RTLD_DEFAULT, "XSetErrorHandler");
    unsigned long root;
    unsigned border, depth;
    int x, y, known;
    error_handler before;
    if (!ask || !set) return 0;
    before = set(no_error);
    known = ask(display, drawable, &root, &x, &y, width, height, &border, &depth);
    set(before);
    return known;
}

static void write_size(vigilant *out, unsigned width, unsigned height) {
    char text[48];
    snprintf(text, sizeof text, "%ux%u", width, height);
    vigilant_condition(out, "window", text);
}

static vigilant *open_file(const char *folder) {
    char path[4096];
    for (int number = 1; number <= 999; number++) {
        if (snprintf(path, sizeof path, "%s/%d-%d.jsonl", folder, (int)getpid(), number) >= (int)sizeof path) return NULL;
        if (access(path, F_OK)) return vigilant_open_at(path, "shown to shown");
    }
    return NULL;
}

static void open_window(window *w, const char *interface, lookup find) {
    const char *folder = getenv("VIGILANT_TAP_FOLDER");
    const char *timer;
    char text[VIGILANT_NAME];
    if (!folder || !*folder || !(w->out = open_file(folder))) return;
    *(void **)&w->gl.get_string = find("glGetString");
    *(void **)&w->gl.get_integer = find("glGetIntegerv");
    timer = find_timer(&w->gl, find);
    w->present = vigilant_lane(w->out, "present", "waiting");
    w->thread = vigilant_lane(w->out, "presenting thread", "processor");
    w->gpu = w->gl.timed ? vigilant_lane(w->out, "graphics", "graphics") : VIGILANT_NONE;
    w->process = vigilant_counter(w->out, "process core-ms");
    w->wide = vigilant_counter(w->out, "viewport width px");
    w->high = vigilant_counter(w->out, "viewport height px");
    if (w->gl.timed) {
        w->gl.gen_queries(PENDING, w->begins);
        w->gl.gen_queries(PENDING, w->ends);
    }
    vigilant_condition(w->out, "recorded by", "tap");
    vigilant_condition(w->out, "presented through", interface);
    vigilant_condition(w->out, "graphics interface", text_of(&w->gl, GL_VERSION));
    vigilant_condition(w->out, "renderer", text_of(&w->gl, GL_RENDERER));
    vigilant_condition(w->out, "driver", text_of(&w->gl, GL_VENDOR));
    vigilant_condition(w->out, "graphics time", timer);
    if (swap_interval == -1000) vigilant_condition(w->out, "swap interval", "not set by the program");
    else {
        snprintf(text, sizeof text, "%d", swap_interval);
        vigilant_condition(w->out, "swap interval", text);
    }
    if (!strcmp(interface, "EGL")) {
        int width = 0, height = 0;
        egl_query query = real_eglQuerySurface();
        if (query && query(w->display, w->drawable, 0x3057, &width) && query(w->display, w->drawable, 0x3056, &height))
            write_size(w->out, (unsigned)width, (unsigned)height);
    } else {
        unsigned width = 0, height = 0;
        if (x_size(w->display, (unsigned long)w->drawable, &width, &height)) write_size(w->out, width, height);
    }
}

/* The window's place, claimed without a lock; NULL where there are too many. */
static window *window_of(void *display, void *drawable) {
    for (int i = 0; i < WINDOWS; i++) {
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

/* A child has windows of its own; what the parent opened is the parent's. */
static void in_child(void) { memset(windows, 0, sizeof windows); }

__attribute__((constructor)) static void begin(void) { pthread_atfork(NULL, NULL, in_child); }

/* ---- every present ---- */

static void write_frame(window *w, const frame *f, double gpu_ms) {
    vigilant_set(w->out, w->present, f->present_ms);
    vigilant_set(w->out, w->thread, f->thread_ms);
    if (f->asked) vigilant_set(w->out, w->gpu, gpu_ms);
    vigilant_count(w->out, w->process, f->process_ms);
    vigilant_count(w->out, w->wide, f->width);
    vigilant_count(w->out, w->high, f->height);
    vigilant_frame_at(w->out, f->stamp);
}

/* Write the frames whose graphics time is known; `all` those too whose time never will be. */
static void write_known(window *w, int all) {
    while (w->first < w->next) {
        unsigned at = (unsigned)(w->first % PENDING);
        frame *f = &w->waiting[at];
        double gpu_ms = NAN;
        if (f->asked && !all) {
            unsigned known = 0;
            uint64_t from = 0, to = 0;
            int disjoint = 0; /* the clock of the graphics processor was set anew */
            w->gl.query_ready(w->ends[at], GL_QUERY_RESULT_AVAILABLE, &known);
            if (!known && w->next - w->first < PENDING) return;
            if (w->gl.embedded && w->gl.get_integer) w->gl.get_integer(GL_GPU_DISJOINT, &disjoint);
            if (known && !disjoint) {
                w->gl.query_result(w->begins[at], GL_QUERY_RESULT, &from);
                w->gl.query_result(w->ends[at], GL_QUERY_RESULT, &to);
                if (to >= from) gpu_ms = (double)(to - from) / 1e6;
            }
        }
        write_frame(w, f, gpu_ms);
        w->first++;
    }
}

/* Before the present call: the end of the frame's graphics work. */
static window *before(void *display, void *drawable, const char *interface, lookup find, current context) {
    window *w = window_of(display, drawable);
    if (!w || w->silent) return NULL;
    if (!w->out) {
        open_window(w, interface, find);
        w->silent = !w->out;
        if (w->silent) return NULL;
        w->context = context();
    }
    if (w->gl.timed && w->begun) {
        if (w->context == context()) w->gl.query_counter(w->ends[w->next % PENDING], GL_TIMESTAMP);
        else w->gl.timed = w->begun = 0; /* its queries are of another context */
    }
    return w;
}

/* After it: the frame is over, the next one begins. */
static void after(window *w, int64_t called) {
    int64_t now = vigilant_now_ns();
    int64_t thread = clock_ns(CLOCK_THREAD_CPUTIME_ID), process = clock_ns(CLOCK_PROCESS_CPUTIME_ID);
    int viewport[4] = {0, 0, -1, -1};
    if (!w->thread_ns) vigilant_frame_at(w->out, now); /* starts the clock */
    else {
        frame *f = &w->waiting[w->next % PENDING];
        if (w->gl.get_integer) w->gl.get_integer(GL_VIEWPORT, viewport);
        f->stamp = now;
        f->present_ms = (double)(now - called) / 1e6;
        f->thread_ms = pthread_equal(w->presents, pthread_self()) ? (double)(thread - w->thread_ns) / 1e6 : NAN;
        f->process_ms = (double)(process - w->process_ns) / 1e6;
        f->width = viewport[2] < 0 ? NAN : viewport[2];
        f->height = viewport[3] < 0 ? NAN : viewport[3];
        f->asked = w->gl.timed && w->begun;
        w->next++;
        if (w->gl.timed) write_known(w, 0);
        else write_known(w, 1);
    }
    w->presents = pthread_self();
    w->thread_ns = thread;
    w->process_ns = process;
    if (w->gl.timed) {
        w->gl.query_counter(w->begins[w->next % PENDING], GL_TIMESTAMP);
        w->begun = 1;
    }
}

__attribute__((destructor)) static void end(void) {
    for (int i = 0; i < WINDOWS; i++) {
        window *w = &windows[i];
        if (!w->out) continue;
        write_known(w, 1); /* no context is current any more */
        vigilant_close(w->out);
        w->out = NULL;
    }
}

/* ---- what stands before the program's own ---- */

SHOWN void glXSwapBuffers(void *display, unsigned long drawable) {
    glx_swap real = real_glXSwapBuffers();
    lookup find = real_glXGetProcAddressARB();
    window *w;
    int64_t called;
    if (!real) return;
    if (inside || !find) {
        real(display, drawable);
        return;
    }
    inside = 1; /* one interface may be made of the other */
    w = before(display, (void *)drawable, "GLX", find, real_glXGetCurrentContext());
    called = vigilant_now_ns();
    real(display, drawable);
    if (w) after(w, called);
    inside = 0;
}

static unsigned egl_present(void *display, void *surface, egl_swap plain, egl_swap_damage damage, const int *rects, int count) {
    lookup find = real_eglGetProcAddress();
    window *w = NULL;
    int64_t called;
    unsigned done;
    int outermost = !inside;
    inside = 1;
    if (outermost && find) w = before(display, surface, "EGL", find, real_eglGetCurrentContext());
    called = vigilant_now_ns();
    done = damage ? damage(display, surface, rects, count) : plain(display, surface);
    if (w && done) after(w, called);
    if (outermost) inside = 0;
    return done;
}

SHOWN unsigned eglSwapBuffers(void *display, void *surface) {
    egl_swap real = real_eglSwapBuffers();
    return real ? egl_present(display, surface, real, NULL, NULL, 0) : 0;
}

static egl_swap_damage real_damage[2];
static unsigned damage_khr(void *display, void *surface, const int *rects, int count) {
    return egl_present(display, surface, NULL, real_damage[0], rects, count);
}
static unsigned damage_ext(void *display, void *surface, const int *rects, int count) {
    return egl_present(display, surface, NULL, real_damage[1], rects, count);
}

static set_interval_unsigned real_mesa_interval;
static int mesa_interval(unsigned interval) {
    swap_interval = (int)interval;
    return real_mesa_interval(interval);
}
static set_interval real_sgi_interval;
static int sgi_interval(int interval) {
    swap_interval = interval;
    return real_sgi_interval(interval);
}
static glx_interval real_ext_interval;
static void ext_interval(void *display, unsigned long drawable, int interval) {
    swap_interval = interval;
    real_ext_interval(display, drawable, interval);
}

SHOWN unsigned eglSwapInterval(void *display, int interval) {
    egl_interval real = real_eglSwapInterval();
    if (!real) return 0;
    swap_interval = interval;
    return real(display, interval);
}

SHOWN void *glXGetProcAddress(const char *name);
SHOWN void *glXGetProcAddressARB(const char *name);
SHOWN void *eglGetProcAddress(const char *name);

/* Ours in the place of what was found, where it is one of those; found nothing is nothing. */
static void *ours(const char *name, void *found) {
    static const struct {
        const char *name;
        void *own;
        void **real;
    } table[] = {
        {"glXSwapBuffers", (void *)glXSwapBuffers, &found_glXSwapBuffers},
        {"eglSwapBuffers", (void *)eglSwapBuffers, &found_eglSwapBuffers},
        {"eglSwapInterval", (void *)eglSwapInterval, &found_eglSwapInterval},
        {"glXGetProcAddress", (void *)glXGetProcAddress, &found_glXGetProcAddress},
        {"glXGetProcAddressARB", (void *)glXGetProcAddressARB, &found_glXGetProcAddressARB},
        {"eglGetProcAddress", (void *)eglGetProcAddress, &found_eglGetProcAddress},
        {"eglSwapBuffersWithDamageKHR", (void *)damage_khr, (void **)&real_damage[0]},
        {"eglSwapBuffersWithDamageEXT", (void *)damage_ext, (void **)&real_damage[1]},
        {"glXSwapIntervalMESA", (void *)mesa_interval, (void **)&real_mesa_interval},
        {"glXSwapIntervalSGI", (void *)sgi_interval, (void **)&real_sgi_interval},
        {"glXSwapIntervalEXT", (void *)ext_interval, (void **)&real_ext_interval},
    };
    if (!found || !name || (name[0] != 'g' && name[0] != 'e')) return found;
    for (unsigned i = 0; i < sizeof table / sizeof *table; i++)
        if (!strcmp(name, table[i].name) && found != table[i].own) {
            *table[i].real = found;
            return table[i].own;
        }
    return found;
}

SHOWN void *glXGetProcAddress(const char *name) {
    lookup real = real_glXGetProcAddress();
    return real ? ours(name, real(name)) : NULL;
}
SHOWN void *glXGetProcAddressARB(const char *name) {
    lookup real = real_glXGetProcAddressARB();
    return real ? ours(name, real(name)) : NULL;
}
SHOWN void *eglGetProcAddress(const char *name) {
    lookup real = real_eglGetProcAddress();
    return real ? ours(name, real(name)) : NULL;
}

/* What the caller stands in decides what the pseudo handles mean: they are passed on as a jump, so that the caller is
   still the caller. */
SHOWN void *dlsym(void *handle, const char *name) {
    symbol_lookup real = real_dlsym();
    void *found, *own;
    if (handle == RTLD_NEXT || handle == RTLD_DEFAULT) return real(handle, name);
    found = real(handle, name);
    own = ours(name, found);
    if (own != found) looked_in[name[0] == 'e'] = handle;
    return own;
}
