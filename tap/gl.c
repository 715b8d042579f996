/* Programs that present by GLX or EGL: what stands before the program's own functions, linked or looked up by name. */

#include "present.h"

#include <dlfcn.h>

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
    int embedded;
} graphics;

/* Kept in the window: a program may draw into two of them by different libraries. */
_Static_assert(sizeof(graphics) <= sizeof(((window *)0)->own), "what a window keeps");
static graphics *functions_of(window *w) { return (graphics *)(void *)w->own; }

static int swap_interval = -1000; /* not set by the program */

/* ---- finding what we stand before ---- */

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
typedef const char *(*egl_text)(void *, int);
typedef const char *(*glx_text)(void *, int);

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
    if (is_software(text_of(gl, GL_RENDERER))) return "not taken: a software renderer";
    if (!has) return "absent";
    *(void **)&gl->gen_queries = find(embedded ? "glGenQueriesEXT" : "glGenQueries");
    *(void **)&gl->query_counter = find(embedded ? "glQueryCounterEXT" : "glQueryCounter");
    *(void **)&gl->query_ready = find(embedded ? "glGetQueryObjectuivEXT" : "glGetQueryObjectuiv");
    *(void **)&gl->query_result = find(embedded ? "glGetQueryObjectui64vEXT" : "glGetQueryObjectui64v");
    gl->embedded = embedded;
    return gl->gen_queries && gl->query_counter && gl->query_ready && gl->query_result ? "present" : "absent";
}

static int time_by_stamps(window *w, unsigned at, double *gpu_ms) {
    graphics *gl = functions_of(w);
    unsigned known = 0;
    uint64_t from = 0, to = 0;
    int disjoint = 0; /* the clock of the graphics processor was set anew */
    gl->query_ready(w->ends[at], GL_QUERY_RESULT_AVAILABLE, &known);
    if (!known) return 0;
    if (gl->embedded && gl->get_integer) gl->get_integer(GL_GPU_DISJOINT, &disjoint);
    if (disjoint) return 1;
    gl->query_result(w->begins[at], GL_QUERY_RESULT, &from);
    gl->query_result(w->ends[at], GL_QUERY_RESULT, &to);
    if (to >= from) *gpu_ms = (double)(to - from) / 1e6;
    return 1;
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

/* What a display can do, as far as its list of abilities tells. */
static void say_abilities(window *w, const char *known, const char *const *names, unsigned count) {
    char text[240] = "";
    size_t used = 0;
    for (unsigned i = 0; known && i < count && used < sizeof text; i++) {
        const char *at = strstr(known, names[i]);
        size_t length = strlen(names[i]);
        while (at && at[length] && at[length] != ' ') at = strstr(at + length, names[i]);
        used += (size_t)snprintf(text + used, sizeof text - used, "%s%s %s", used ? ", " : "", names[i], at ? "present" : "absent");
    }
    if (used) vigilant_condition(w->out, "abilities", text);
}

static void say_egl(window *w, lookup find) {
    static const char *const abilities[] = {"EGL_EXT_buffer_age", "EGL_KHR_swap_buffers_with_damage", "EGL_EXT_swap_buffers_with_damage"};
    egl_text text = (egl_text)find("eglQueryString");
    egl_query query = real_eglQuerySurface();
    int width = 0, height = 0;
    if (query && query(w->display, w->drawable, 0x3057, &width) && query(w->display, w->drawable, 0x3056, &height))
        window_size(w, (unsigned)width, (unsigned)height);
    if (text) say_abilities(w, text(w->display, 0x3055), abilities, sizeof abilities / sizeof *abilities);
}

static void say_glx(window *w, lookup find) {
    static const char *const abilities[] = {"GLX_EXT_swap_control", "GLX_EXT_swap_control_tear", "GLX_EXT_buffer_age"};
    glx_text text = (glx_text)find("glXQueryExtensionsString");
    unsigned width = 0, height = 0;
    if (x_size(w->display, (unsigned long)w->drawable, &width, &height)) window_size(w, width, height);
    if (text) say_abilities(w, text(w->display, 0), abilities, sizeof abilities / sizeof *abilities);
}

static void describe(window *w, const char *interface, lookup find) {
    graphics *gl = functions_of(w);
    const char *timer;
    char text[16];
    *(void **)&gl->get_string = find("glGetString");
    *(void **)&gl->get_integer = find("glGetIntegerv");
    timer = find_timer(gl, find);
    window_columns(w, interface, "viewport", strcmp(timer, "present") ? NULL : time_by_stamps);
    if (w->gpu_time) {
        gl->gen_queries(PENDING, w->begins);
        gl->gen_queries(PENDING, w->ends);
    }
    vigilant_condition(w->out, "graphics interface", text_of(gl, GL_VERSION));
    vigilant_condition(w->out, "renderer", text_of(gl, GL_RENDERER));
    vigilant_condition(w->out, "driver", text_of(gl, GL_VENDOR));
    vigilant_condition(w->out, "graphics time", timer);
    snprintf(text, sizeof text, "%d", swap_interval);
    vigilant_condition(w->out, "swap interval", swap_interval == -1000 ? "not set by the program" : text);
    if (!strcmp(interface, "EGL")) say_egl(w, find);
    else say_glx(w, find);
}

/* ---- every present ---- */

/* Before the present call: the end of the frame's graphics work. */
static window *before(void *display, void *drawable, const char *interface, lookup find, current context) {
    int first;
    window *w = window_presents(display, drawable, &first);
    if (!w) return NULL;
    if (first) {
        describe(w, interface, find);
        w->context = context();
    }
    if (w->gpu_time && w->begun) {
        if (w->context == context()) functions_of(w)->query_counter(w->ends[w->next % PENDING], GL_TIMESTAMP);
        else w->begun = 0, w->gpu_time = NULL; /* its queries are of another context */
    }
    return w;
}

/* After it: the frame is over, the next one begins. */
static void after(window *w, int64_t called) {
    graphics *gl = functions_of(w);
    int viewport[4] = {0, 0, -1, -1};
    if (w->thread_ns && gl->get_integer) gl->get_integer(GL_VIEWPORT, viewport);
    window_presented(w, called, viewport[2] < 0 ? NAN : viewport[2], viewport[3] < 0 ? NAN : viewport[3]);
    if (w->gpu_time) {
        gl->query_counter(w->begins[w->next % PENDING], GL_TIMESTAMP);
        w->begun = 1;
    }
}

/* ---- what stands before the program's own ---- */

SHOWN void glXSwapBuffers(void *display, unsigned long drawable) {
    glx_swap real = real_glXSwapBuffers();
    lookup find = real_glXGetProcAddressARB();
    window *w;
    int64_t called;
    if (!real) return;
    if (inside_present || !find) {
        real(display, drawable);
        return;
    }
    inside_present = 1; /* one interface may be made of the other */
    w = before(display, (void *)drawable, "GLX", find, real_glXGetCurrentContext());
    called = vigilant_now_ns();
    real(display, drawable);
    if (w) after(w, called);
    inside_present = 0;
}

static unsigned egl_present(void *display, void *surface, egl_swap plain, egl_swap_damage damage, const int *rects, int count) {
    lookup find = real_eglGetProcAddress();
    window *w = NULL;
    int64_t called;
    unsigned done;
    int outermost = !inside_present;
    inside_present = 1;
    if (outermost && find) w = before(display, surface, "EGL", find, real_eglGetCurrentContext());
    called = vigilant_now_ns();
    done = damage ? damage(display, surface, rects, count) : plain(display, surface);
    if (w && done) after(w, called);
    if (outermost) inside_present = 0;
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
