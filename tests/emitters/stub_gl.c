/* A graphics library for tests: presents by waiting a little, and tells graphics times that are known beforehand. */
#define _GNU_SOURCE
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

typedef void (*function)(void);
static uint64_t stamped[64], gpu_ns;
static int asked, disturbed;

static const unsigned char *get_string(unsigned name) {
    static const char *texts[] = {"Lantern works", "Lantern 1", "4.6 lantern"};
    if (name == 0x1F03) disturbed = 1; /* a core context calls this an error */
    return name - 0x1F00 < 3 ? (const unsigned char *)texts[name - 0x1F00] : NULL;
}
static void get_integer(unsigned name, int *value) {
    if (name == 0x0BA2) value[2] = 320, value[3] = 180;
}
static void gen_queries(int count, unsigned *ids) {
    for (int i = 0; i < count; i++) ids[i] = (unsigned)++asked;
}
/* Every frame's work takes 2 ms of graphics time, a quiet while of 1 ms lies between. */
static void query_counter(unsigned id, unsigned what) {
    static int end;
    (void)what;
    gpu_ns += end ? 2000000 : 1000000;
    end = !end;
    stamped[id] = gpu_ns;
}
static void query_ready(unsigned id, unsigned what, unsigned *known) {
    static int looks;
    (void)id;
    (void)what;
    *known = ++looks % 3 == 0; /* some frames late */
}
static void query_result(unsigned id, unsigned what, uint64_t *ns) {
    (void)what;
    *ns = stamped[id];
}

static void spin(long ns) {
    struct timespec from, now;
    clock_gettime(CLOCK_MONOTONIC, &from);
    do clock_gettime(CLOCK_MONOTONIC, &now);
    while ((now.tv_sec - from.tv_sec) * 1000000000L + now.tv_nsec - from.tv_nsec < ns);
}

static int set_interval(unsigned interval) { return interval != 0; }

void *glXGetCurrentContext(void) { return &stamped; }

void glXSwapBuffers(void *display, unsigned long drawable) {
    const char *wait = getenv("STUB_WAIT_NS");
    struct timespec time = {0, wait ? atol(wait) : 1000000};
    (void)display;
    (void)drawable;
    if (disturbed) abort();
    if (getenv("STUB_SPIN_NS")) spin(atol(getenv("STUB_SPIN_NS")));
    if (time.tv_nsec) nanosleep(&time, NULL);
}

function glXGetProcAddressARB(const char *name) {
    static const struct {
        const char *name;
        function found;
    } known[] = {
        {"glXSwapIntervalMESA", (function)set_interval},
        {"glGetString", (function)get_string},           {"glGetIntegerv", (function)get_integer},
        {"glGenQueries", (function)gen_queries},         {"glQueryCounter", (function)query_counter},
        {"glGetQueryObjectuiv", (function)query_ready},  {"glGetQueryObjectui64v", (function)query_result},
    };
    for (unsigned i = 0; i < sizeof known / sizeof *known; i++)
        if (!strcmp(known[i].name, name)) return known[i].found;
    return NULL;
}
