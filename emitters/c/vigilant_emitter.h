/* Report the frames of a program to Vigilant Ledger: copy this one file into the program.

   In one C or C++ file, before including it, say #define VIGILANT_EMITTER_BODY.

       vigilant *v = vigilant_open("start to start");          // NULL: nobody records, every call is cheap
       int river = vigilant_lane(v, "river", "processor");     // lanes, counters, parts first
       int boats = vigilant_counter(v, "boats");
       int steer = vigilant_part(v, VIGILANT_NONE, "steer boats", river);
       int avoid = vigilant_part(v, steer, "avoid pillars", river);
       vigilant_condition(v, "window", "1600x900");
       vigilant_mark(v, "landing stage", 1);
       vigilant_start(v);
       while (playing) {
           vigilant_begin(v, steer);
           ...
           vigilant_end(v, steer);
           vigilant_set(v, river, river_ms);
           vigilant_count(v, boats, 40);
           present();
           vigilant_frame(v);                                  // once a frame, right after it was presented
       }
       vigilant_close(v);

   Frames go to the file that the environment variable VIGILANT_FRAMES names, or to a recorder on another machine that
   listens: tcp://HOST:PORT/CODE. In a frame nothing is allocated, no lock
   is taken and nothing is asked of the system but the clock: what is said is put into a ring, and a thread of its own
   writes it. Where the ring is full, frames are lost, counted and said in the stream, so that its run is known to be
   broken. One emitter is used by one thread. C99 or C++, POSIX threads, GCC or Clang. Licence: Apache-2.0. */

#ifndef VIGILANT_EMITTER_H
#define VIGILANT_EMITTER_H

#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define VIGILANT_NONE (-1)

typedef struct vigilant vigilant;

/* Begin a run on the file, or towards the recorder, in VIGILANT_FRAMES; NULL where that is not set, or cannot be written
   or reached (said on stderr). */
vigilant *vigilant_open(const char *frame_is);
/* The same on a file or an address of one's own. */
vigilant *vigilant_open_at(const char *path, const char *frame_is);

/* Before anything is said. A role is "processor", "graphics" or "waiting"; a name has 100 bytes. VIGILANT_NONE is what
   has no name, a name twice, or no room: it is passed on without harm. */
int vigilant_lane(vigilant *v, const char *name, const char *role);
int vigilant_counter(vigilant *v, const char *name);
/* A piece of a frame's work; `parent` is what it is a piece of, `lane` the lane whose time it is part of. */
int vigilant_part(vigilant *v, int parent, const char *name, int lane);
/* What a part is about, across lanes, such as "sound". Said before anything is recorded. */
void vigilant_kind(vigilant *v, int part, const char *kind);
/* What stands on the run's sheet. */
void vigilant_condition(vigilant *v, const char *name, const char *value);

/* Start the clock; a first vigilant_frame() without it only does this. */
void vigilant_start(vigilant *v);
/* The present frame's time in a lane, ms, and its value of a counter; what is not said is missing. */
void vigilant_set(vigilant *v, int lane, double ms);
void vigilant_count(vigilant *v, int counter, double value);
/* Time a part; the calls of one part in a frame are summed. A part is ended before it is begun again. */
void vigilant_begin(vigilant *v, int part);
void vigilant_end(vigilant *v, int part);
/* A part that was timed elsewhere. */
void vigilant_add(vigilant *v, int part, double ms, unsigned calls);
/* End the frame: its time is that since the last call. */
void vigilant_frame(vigilant *v);
/* The same with a stamp of CLOCK_MONOTONIC, ns, that was read already. */
void vigilant_frame_at(vigilant *v, int64_t now_ns);

/* Begin a leg of the course at the next frame; `play` 0 keeps it out of the figures. */
void vigilant_mark(vigilant *v, const char *name, int play);
/* One number for the whole run, such as a load time. */
void vigilant_figure(vigilant *v, const char *name, double value);
/* What there is: `count` pieces of a kind, each of `a_piece` in the unit `weight` (NULL: counted alone). Stated again it replaces. */
void vigilant_item(vigilant *v, const char *kind, double count, const char *weight, double a_piece);
/* Name a picture of the present frame, written by the program into the folder that VIGILANT_STILLS names. */
void vigilant_still(vigilant *v, const char *name);
/* The same for one of several pictures that show short motion, in the order of their frames. */
void vigilant_still_of(vigilant *v, const char *name, const char *sequence);

/* Write what is left and the stream's end. */
void vigilant_close(vigilant *v);

int64_t vigilant_now_ns(void);

#ifdef __cplusplus
}
#endif
#endif

#if defined(VIGILANT_EMITTER_BODY) && !defined(VIGILANT_EMITTER_BODY_ONCE)
#define VIGILANT_EMITTER_BODY_ONCE

#include <math.h>
#include <netdb.h>
#include <pthread.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/time.h>
#include <time.h>
#include <unistd.h>

#define VIGILANT_LANES 32
#define VIGILANT_COUNTERS 64
#define VIGILANT_PARTS 512
#define VIGILANT_CONDITIONS 64
#define VIGILANT_NAME 101  /* bytes of a name, the last one 0 */
#define VIGILANT_VALUE 256 /* of a condition's value */
#ifndef VIGILANT_RING
#define VIGILANT_RING (8u << 20)
#endif
#ifndef VIGILANT_WRITE_MS
#define VIGILANT_WRITE_MS 20
#endif

typedef struct {
    char name[VIGILANT_NAME], kind[VIGILANT_NAME];
    int parent, lane;
    unsigned calls;
    int64_t ns, ticks, began, at; /* ticks but for `ns` */
} vigilant__part;

typedef struct {
    uint32_t bytes; /* of the whole record, a multiple of 8 */
    uint32_t kind;  /* 'f' frame, 'm' mark, 'x' mark that is not play, 'g' figure, 'i' item, 's' still */
} vigilant__record;

typedef struct {
    int64_t ns, at;
    uint32_t part, calls;
} vigilant__spent;

struct vigilant {
    FILE *file;
    char frame_is[VIGILANT_NAME];
    char lane_names[VIGILANT_LANES][VIGILANT_NAME], roles[VIGILANT_LANES][16];
    char counter_names[VIGILANT_COUNTERS][VIGILANT_NAME];
    char condition_names[VIGILANT_CONDITIONS][VIGILANT_NAME], condition_values[VIGILANT_CONDITIONS][VIGILANT_VALUE];
    vigilant__part parts[VIGILANT_PARTS];
    int lanes, counters, parts_known, conditions;
    double lane_ms[VIGILANT_LANES], counted[VIGILANT_COUNTERS];
    int touched[VIGILANT_PARTS], touched_count;
    int64_t last_ns, first_ns, last_tick;
    /* Parts are timed by the processor's own counter where the system's clock is made of it: it is read quicker. */
    int counts_ticks;
    double ns_per_tick;
    int started, begun, generation;
    /* The ring: `head` is moved by the program alone, `tail` by the writer alone, each on a cache line of its own;
       `tail_seen` is what the program last saw of it. */
    unsigned char *ring;
    uint64_t tail_seen, lost;
    int closing;
    pthread_t writer;
    unsigned char apart_1[64];
    uint64_t head;
    unsigned char apart_2[64];
    uint64_t tail;
    /* The writer's own. */
    uint64_t frames, lost_said;
    int64_t total_ns;
};

/* A child that was forked has no writer: its emitters are silent there. */
static int vigilant__generation;
static void vigilant__in_child(void) { vigilant__generation++; }
static void vigilant__watch_forks(void) { pthread_atfork(NULL, NULL, vigilant__in_child); }

int64_t vigilant_now_ns(void) {
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (int64_t)now.tv_sec * 1000000000 + now.tv_nsec;
}

static int64_t vigilant__tick(const vigilant *v) {
#if defined(__x86_64__)
    if (v->counts_ticks) return (int64_t)__builtin_ia32_rdtsc();
#endif
    (void)v;
    return vigilant_now_ns();
}

/* How long a tick is, over two milliseconds; where the system does not trust the counter, neither do we. */
static void vigilant__learn_tick(vigilant *v) {
    v->ns_per_tick = 1.0;
#if defined(__x86_64__) && defined(__linux__)
    char source[8] = "";
    const struct timespec pause = {0, 2000000};
    int64_t ns, tick;
    FILE *file = fopen("/sys/devices/system/clocksource/clocksource0/current_clocksource", "r");
    if (!file) return;
    if (!fgets(source, sizeof source, file) || strncmp(source, "tsc", 3)) {
        fclose(file);
        return;
    }
    fclose(file);
    v->counts_ticks = 1;
    ns = vigilant_now_ns();
    tick = vigilant__tick(v);
    nanosleep(&pause, NULL);
    ns = vigilant_now_ns() - ns;
    v->ns_per_tick = (double)ns / (double)(vigilant__tick(v) - tick);
#endif
}

static int vigilant__alive(const vigilant *v) { return v && v->generation == vigilant__generation; }

static void vigilant__copy(char *to, const char *from, size_t size) {
    size_t length = from ? strlen(from) : 0;
    if (length >= size) {
        length = size - 1;
        while (length && ((unsigned char)from[length] & 0xC0) == 0x80) length--; /* no half of a letter */
    }
    for (size_t i = 0; i < length; i++) to[i] = (unsigned char)from[i] < 0x20 || from[i] == 0x7F ? ' ' : from[i];
    to[length] = 0;
}

/* ---- the writer's side: everything slow ---- */

static void vigilant__text(FILE *out, const char *text) {
    fputc('"', out);
    for (const unsigned char *c = (const unsigned char *)text; *c; c++) {
        if (*c == '"' || *c == '\\') fprintf(out, "\\%c", *c);
        else if (*c < 0x20) fprintf(out, "\\u%04x", *c);
        else fputc(*c, out);
    }
    fputc('"', out);
}

/* Nanoseconds as ms, every digit of them, whatever the program's locale. */
static void vigilant__ms(FILE *out, int64_t ns) {
    if (ns < 0) {
        fputc('-', out);
        ns = -ns;
    }
    fprintf(out, "%lld.%06lld", (long long)(ns / 1000000), (long long)(ns % 1000000));
}

static void vigilant__number(FILE *out, double value) {
    char text[40];
    if (!isfinite(value)) {
        fputs("null", out);
        return;
    }
    snprintf(text, sizeof text, "%.15g", value);
    if (strtod(text, NULL) != value) snprintf(text, sizeof text, "%.17g", value);
    for (char *c = text; *c; c++)
        if (*c == ',') *c = '.';
    fputs(text, out);
}

static void vigilant__head(vigilant *v) {
    FILE *out = v->file;
    struct timespec wall;
    struct tm utc;
    char started[32];
    clock_gettime(CLOCK_REALTIME, &wall);
    gmtime_r(&wall.tv_sec, &utc);
    strftime(started, sizeof started, "%Y-%m-%dT%H:%M:%SZ", &utc);
    fputs("{\"vigilant_frames\":1,\"columns\":[\"frame\"", out);
    for (int i = 0; i < v->lanes; i++) {
        fputc(',', out);
        vigilant__text(out, v->lane_names[i]);
    }
    fputs("],\"unit\":\"ms\",\"clock\":\"monotonic\",\"frame_is\":", out);
    vigilant__text(out, v->frame_is);
    fputs(",\"lanes\":{", out);
    for (int i = 0; i < v->lanes; i++) {
        if (i) fputc(',', out);
        vigilant__text(out, v->lane_names[i]);
        fputc(':', out);
        vigilant__text(out, v->roles[i]);
    }
    fputs("},\"counters\":[", out);
    for (int i = 0; i < v->counters; i++) {
        if (i) fputc(',', out);
        vigilant__text(out, v->counter_names[i]);
    }
    fprintf(out, "],\"started\":\"%s\",\"began_ns\":%lld,\"conditions\":{", started, (long long)v->first_ns);
    for (int i = 0; i < v->conditions; i++) {
        if (i) fputc(',', out);
        vigilant__text(out, v->condition_names[i]);
        fputc(':', out);
        vigilant__text(out, v->condition_values[i]);
    }
    fputs("}}\n", out);
}

static void vigilant__path(vigilant *v, int part) {
    if (v->parts[part].parent >= 0) {
        vigilant__path(v, v->parts[part].parent);
        fputc(',', v->file);
    }
    vigilant__text(v->file, v->parts[part].name);
}

static void vigilant__write(vigilant *v, const vigilant__record *record) {
    FILE *out = v->file;
    const unsigned char *body = (const unsigned char *)(record + 1);
    if (record->kind == 'm' || record->kind == 'x') {
        fputs("{\"mark\":", out);
        vigilant__text(out, (const char *)body);
        fputs(record->kind == 'x' ? ",\"play\":false}\n" : "}\n", out);
    } else if (record->kind == 's') {
        const char *sequence = (const char *)body + strlen((const char *)body) + 1;
        fputs("{\"still\":", out);
        vigilant__text(out, (const char *)body);
        if (*sequence) {
            fputs(",\"sequence\":", out);
            vigilant__text(out, sequence);
        }
        fputs("}\n", out);
    } else if (record->kind == 'i') {
        double said[2];
        const char *kind = (const char *)body + sizeof said, *weight = kind + strlen(kind) + 1;
        memcpy(said, body, sizeof said);
        fputs("{\"item\":", out);
        vigilant__text(out, kind);
        fputs(",\"count\":", out);
        vigilant__number(out, said[0]);
        if (*weight) {
            fputs(",\"weight\":", out);
            vigilant__text(out, weight);
            fputs(",\"a_piece\":", out);
            vigilant__number(out, said[1]);
        }
        fputs("}\n", out);
    } else if (record->kind == 'g') {
        double value;
        memcpy(&value, body, sizeof value);
        fputs("{\"figure\":", out);
        vigilant__text(out, (const char *)body + sizeof value);
        fputs(",\"value\":", out);
        vigilant__number(out, value);
        fputs("}\n", out);
    } else {
        int64_t ns;
        memcpy(&ns, body, sizeof ns);
        const double *values = (const double *)(const void *)(body + 8);
        const vigilant__spent *spent = (const vigilant__spent *)(const void *)(values + v->lanes + v->counters);
        const vigilant__spent *past = (const vigilant__spent *)(const void *)((const unsigned char *)record + record->bytes);
        fputc('[', out);
        vigilant__ms(out, ns);
        for (int i = 0; i < v->lanes + v->counters; i++) {
            fputc(',', out);
            vigilant__number(out, values[i]);
        }
        fputs("]\n", out);
        for (; spent < past; spent++) {
            const vigilant__part *part = &v->parts[spent->part];
            fputs("{\"part\":[", out);
            vigilant__path(v, (int)spent->part);
            fprintf(out, "],\"frame\":%llu,\"ms\":", (unsigned long long)v->frames);
            vigilant__ms(out, spent->ns);
            fprintf(out, ",\"calls\":%u", spent->calls);
            if (part->kind[0]) {
                fputs(",\"kind\":", out);
                vigilant__text(out, part->kind);
            }
            if (part->lane >= 0) {
                fputs(",\"lane\":", out);
                vigilant__text(out, v->lane_names[part->lane]);
            }
            if (spent->at >= 0) {
                fputs(",\"at\":", out);
                vigilant__ms(out, spent->at);
            }
            fputs("}\n", out);
        }
        v->frames++;
        v->total_ns += ns;
    }
}

static void vigilant__drain(vigilant *v) {
    uint64_t head = __atomic_load_n(&v->head, __ATOMIC_ACQUIRE);
    uint64_t lost = __atomic_load_n(&v->lost, __ATOMIC_RELAXED);
    if (lost > v->lost_said) fprintf(v->file, "{\"lost\":%llu}\n", (unsigned long long)(lost - v->lost_said));
    if (v->tail == head && lost == v->lost_said) return;
    v->lost_said = lost;
    if (ferror(v->file)) __atomic_store_n(&v->tail, head, __ATOMIC_RELEASE); /* no holes: what follows an error is not written */
    while (v->tail != head) {
        const vigilant__record *record = (const vigilant__record *)(const void *)(v->ring + v->tail % VIGILANT_RING);
        if (record->kind) vigilant__write(v, record); /* 0 fills up to the ring's end */
        __atomic_store_n(&v->tail, v->tail + record->bytes, __ATOMIC_RELEASE);
    }
    fflush(v->file);
}

static void *vigilant__writer(void *of) {
    vigilant *v = (vigilant *)of;
    const struct timespec pause = {0, VIGILANT_WRITE_MS * 1000000};
    sigset_t signals;
    /* The program's signals are not for this thread, and a recorder that went away is no reason to end the program. */
    sigfillset(&signals);
    pthread_sigmask(SIG_BLOCK, &signals, NULL);
    vigilant__head(v);
    while (!__atomic_load_n(&v->closing, __ATOMIC_ACQUIRE)) {
        vigilant__drain(v);
        nanosleep(&pause, NULL);
    }
    vigilant__drain(v);
    if (!ferror(v->file)) {
        fprintf(v->file, "{\"end\":{\"frames\":%llu,\"ms\":", (unsigned long long)v->frames);
        vigilant__ms(v->file, v->total_ns);
        fputs("}}\n", v->file);
    }
    if (fflush(v->file) || ferror(v->file)) fputs("vigilant: the run is not whole: its frames could not be written\n", stderr);
    return NULL;
}

/* ---- the program's side ---- */

/* A stream to the recorder that listens at HOST:PORT/CODE; NULL where it is not reached. */
static FILE *vigilant__connect(const char *place) {
    char host[256], port[16], code[64], hello[80];
    const struct timeval patience = {10, 0}; /* longer than that a network may not stand still */
    struct addrinfo like, *found = NULL;
    int socket_of = -1, length;
    FILE *out = NULL;
    const char *slash = strchr(place, '/');
    const char *colon = slash;
    while (colon && colon > place && *colon != ':') colon--;
    if (!slash || *colon != ':' || (size_t)(colon - place) >= sizeof host || (size_t)(slash - colon) > sizeof port) return NULL;
    vigilant__copy(code, slash + 1, sizeof code);
    if (*place == '[' && colon[-1] == ']') snprintf(host, sizeof host, "%.*s", (int)(colon - place - 2), place + 1);
    else snprintf(host, sizeof host, "%.*s", (int)(colon - place), place);
    snprintf(port, sizeof port, "%.*s", (int)(slash - colon - 1), colon + 1);
    memset(&like, 0, sizeof like);
    like.ai_socktype = SOCK_STREAM;
    if (getaddrinfo(host, port, &like, &found)) return NULL;
    for (struct addrinfo *at = found; at && socket_of < 0; at = at->ai_next) {
        socket_of = socket(at->ai_family, at->ai_socktype, at->ai_protocol);
        if (socket_of >= 0 && connect(socket_of, at->ai_addr, at->ai_addrlen)) {
            close(socket_of);
            socket_of = -1;
        }
    }
    freeaddrinfo(found);
    if (socket_of < 0) return NULL;
    length = snprintf(hello, sizeof hello, "vigilant %s\n", code);
    setsockopt(socket_of, SOL_SOCKET, SO_SNDTIMEO, &patience, sizeof patience);
    if (send(socket_of, hello, (size_t)length, MSG_NOSIGNAL) == length) out = fdopen(socket_of, "w");
    if (!out) close(socket_of);
    return out;
}

vigilant *vigilant_open_at(const char *path, const char *frame_is) {
    static pthread_once_t once = PTHREAD_ONCE_INIT;
    vigilant *v;
    if (!path || !*path) return NULL;
    pthread_once(&once, vigilant__watch_forks);
    v = (vigilant *)calloc(1, sizeof *v);
    if (v) v->ring = (unsigned char *)malloc(VIGILANT_RING);
    if (v) v->file = strncmp(path, "tcp://", 6) ? fopen(path, "w") : vigilant__connect(path + 6);
    if (!v || !v->ring || !v->file) {
        fprintf(stderr, "vigilant: no frames are recorded: %s cannot be %s\n", path, strncmp(path, "tcp://", 6) ? "written" : "reached");
        if (v) free(v->ring);
        free(v);
        return NULL;
    }
    memset(v->ring, 0, VIGILANT_RING); /* its pages are there before the first frame */
    vigilant__copy(v->frame_is, frame_is ? frame_is : "start to start", sizeof v->frame_is);
    v->generation = vigilant__generation;
    vigilant__learn_tick(v);
    return v;
}

vigilant *vigilant_open(const char *frame_is) { return vigilant_open_at(getenv("VIGILANT_FRAMES"), frame_is); }

/* Whether there is still time to name lanes, counters and parts. */
static int vigilant__naming(const vigilant *v, const char *name) {
    return vigilant__alive(v) && !v->begun && name && *name;
}

/* Whether a column is called so already: two of one name could not be told apart. */
static int vigilant__taken(const vigilant *v, const char *name) {
    if (!strcmp(name, "frame") || !strcmp(name, "at")) return 1;
    for (int i = 0; i < v->lanes; i++)
        if (!strcmp(v->lane_names[i], name)) return 1;
    for (int i = 0; i < v->counters; i++)
        if (!strcmp(v->counter_names[i], name)) return 1;
    return 0;
}

int vigilant_lane(vigilant *v, const char *name, const char *role) {
    char own[VIGILANT_NAME];
    if (!vigilant__naming(v, name) || v->lanes == VIGILANT_LANES) return VIGILANT_NONE;
    vigilant__copy(own, name, sizeof own);
    if (vigilant__taken(v, own)) return VIGILANT_NONE;
    memcpy(v->lane_names[v->lanes], own, sizeof own);
    vigilant__copy(v->roles[v->lanes], role ? role : "processor", sizeof v->roles[0]);
    v->lane_ms[v->lanes] = NAN;
    return v->lanes++;
}

int vigilant_counter(vigilant *v, const char *name) {
    char own[VIGILANT_NAME];
    if (!vigilant__naming(v, name) || v->counters == VIGILANT_COUNTERS) return VIGILANT_NONE;
    vigilant__copy(own, name, sizeof own);
    if (vigilant__taken(v, own)) return VIGILANT_NONE;
    memcpy(v->counter_names[v->counters], own, sizeof own);
    v->counted[v->counters] = NAN;
    return v->counters++;
}

void vigilant_kind(vigilant *v, int part, const char *kind) {
    if (!vigilant__naming(v, kind) || part < 0 || part >= v->parts_known) return;
    vigilant__copy(v->parts[part].kind, kind, sizeof v->parts[part].kind);
}

int vigilant_part(vigilant *v, int parent, const char *name, int lane) {
    vigilant__part *part;
    if (!vigilant__naming(v, name) || v->parts_known == VIGILANT_PARTS) return VIGILANT_NONE;
    if (parent >= v->parts_known || lane >= v->lanes) return VIGILANT_NONE;
    part = &v->parts[v->parts_known];
    vigilant__copy(part->name, name, VIGILANT_NAME);
    part->parent = parent;
    part->lane = lane;
    return v->parts_known++;
}

void vigilant_condition(vigilant *v, const char *name, const char *value) {
    if (!vigilant__naming(v, name) || v->conditions == VIGILANT_CONDITIONS) return;
    vigilant__copy(v->condition_names[v->conditions], name, VIGILANT_NAME);
    vigilant__copy(v->condition_values[v->conditions++], value, VIGILANT_VALUE);
}

void vigilant_start(vigilant *v) {
    if (!vigilant__alive(v)) return;
    v->last_ns = vigilant_now_ns();
    v->last_tick = vigilant__tick(v);
    v->started = 1;
}

/* Room for a record of so many bytes in one piece, NULL where the ring is full. */
static vigilant__record *vigilant__room(vigilant *v, uint32_t bytes) {
    uint32_t left = (uint32_t)(VIGILANT_RING - v->head % VIGILANT_RING);
    uint32_t whole = bytes + (left < bytes ? left : 0);
    vigilant__record *record;
    if (!v->begun) {
        /* The writer begins with the first thing said: what stands in the head is known then. */
        v->begun = 1;
        v->first_ns = v->started ? v->last_ns : vigilant_now_ns();
        if (pthread_create(&v->writer, NULL, vigilant__writer, v)) {
            v->begun = -1;
            fprintf(stderr, "vigilant: no frames are recorded: no thread can be started\n");
        }
    }
    if (v->begun < 0) return NULL;
    if (v->head + whole - v->tail_seen > VIGILANT_RING) v->tail_seen = __atomic_load_n(&v->tail, __ATOMIC_ACQUIRE);
    if (v->head + whole - v->tail_seen > VIGILANT_RING) return NULL;
    if (left < bytes) {
        record = (vigilant__record *)(void *)(v->ring + v->head % VIGILANT_RING);
        record->bytes = left;
        record->kind = 0;
        __atomic_store_n(&v->head, v->head + left, __ATOMIC_RELEASE);
    }
    record = (vigilant__record *)(void *)(v->ring + v->head % VIGILANT_RING);
    record->bytes = bytes;
    return record;
}

static void vigilant__put(vigilant *v, const vigilant__record *record) {
    __atomic_store_n(&v->head, v->head + record->bytes, __ATOMIC_RELEASE);
}

void vigilant_set(vigilant *v, int lane, double ms) {
    if (v && lane >= 0 && lane < v->lanes) v->lane_ms[lane] = ms;
}

void vigilant_count(vigilant *v, int counter, double value) {
    if (v && counter >= 0 && counter < v->counters) v->counted[counter] = value;
}

void vigilant_begin(vigilant *v, int part) {
    if (v && part >= 0 && part < v->parts_known) v->parts[part].began = vigilant__tick(v);
}

void vigilant_end(vigilant *v, int part) {
    int64_t now;
    vigilant__part *of;
    if (!v || part < 0 || part >= v->parts_known || !v->parts[part].began) return;
    now = vigilant__tick(v);
    of = &v->parts[part];
    if (!of->calls) {
        v->touched[v->touched_count++] = part;
        of->at = v->started ? of->began - v->last_tick : -1;
    }
    of->ticks += now - of->began;
    of->began = 0;
    of->calls++;
}

void vigilant_add(vigilant *v, int part, double ms, unsigned calls) {
    vigilant__part *of;
    if (!v || part < 0 || part >= v->parts_known || !(ms >= 0) || !calls) return;
    of = &v->parts[part];
    if (!of->calls) {
        v->touched[v->touched_count++] = part;
        of->at = -1;
    }
    of->ns += (int64_t)(ms * 1e6 + 0.5);
    of->calls += calls;
}

void vigilant_frame(vigilant *v) {
    if (v) vigilant_frame_at(v, vigilant_now_ns());
}

void vigilant_frame_at(vigilant *v, int64_t now) {
    vigilant__record *record;
    if (!vigilant__alive(v)) return;
    if (v->started && now > v->last_ns) {
        uint32_t values = (uint32_t)(v->lanes + v->counters);
        uint32_t bytes = (uint32_t)(sizeof *record + 8 + 8 * values + sizeof(vigilant__spent) * (uint32_t)v->touched_count);
        record = vigilant__room(v, bytes);
        if (record) {
            unsigned char *body = (unsigned char *)(record + 1);
            double *numbers = (double *)(void *)(body + 8);
            vigilant__spent *spent = (vigilant__spent *)(void *)(numbers + values);
            int64_t ns = now - v->last_ns;
            record->kind = 'f';
            memcpy(body, &ns, sizeof ns);
            memcpy(numbers, v->lane_ms, sizeof(double) * (size_t)v->lanes);
            memcpy(numbers + v->lanes, v->counted, sizeof(double) * (size_t)v->counters);
            for (int i = 0; i < v->touched_count; i++, spent++) {
                const vigilant__part *part = &v->parts[v->touched[i]];
                spent->ns = part->ns + (int64_t)((double)part->ticks * v->ns_per_tick);
                spent->at = part->at < 0 ? -1 : (int64_t)((double)part->at * v->ns_per_tick);
                spent->part = (uint32_t)v->touched[i];
                spent->calls = part->calls;
            }
            vigilant__put(v, record);
        } else {
            __atomic_add_fetch(&v->lost, 1, __ATOMIC_RELAXED);
        }
    }
    if (now > v->last_ns || !v->started) v->last_ns = now;
    v->last_tick = vigilant__tick(v);
    v->started = 1;
    for (int i = 0; i < v->touched_count; i++) {
        v->parts[v->touched[i]].calls = 0;
        v->parts[v->touched[i]].ns = v->parts[v->touched[i]].ticks = 0;
    }
    v->touched_count = 0;
    for (int i = 0; i < v->lanes; i++) v->lane_ms[i] = NAN;
    for (int i = 0; i < v->counters; i++) v->counted[i] = NAN;
}

/* A record of so many numbers and two texts. */
static void vigilant__say(vigilant *v, uint32_t kind, const double *values, size_t numbers, const char *name,
                          const char *more) {
    size_t own = numbers * sizeof *values, length, rest;
    vigilant__record *record;
    unsigned char *body;
    char text[VIGILANT_NAME], second[VIGILANT_NAME];
    if (!vigilant__alive(v) || !name || !*name) return;
    vigilant__copy(text, name, sizeof text);
    vigilant__copy(second, more, sizeof second);
    length = strlen(text) + 1;
    rest = strlen(second) + 1;
    record = vigilant__room(v, (uint32_t)((sizeof *record + own + length + rest + 7) / 8 * 8));
    if (!record) {
        __atomic_add_fetch(&v->lost, 1, __ATOMIC_RELAXED);
        return;
    }
    record->kind = kind;
    body = (unsigned char *)(record + 1);
    if (own) memcpy(body, values, own);
    memcpy(body + own, text, length);
    memcpy(body + own + length, second, rest);
    vigilant__put(v, record);
}

void vigilant_mark(vigilant *v, const char *name, int play) { vigilant__say(v, play ? 'm' : 'x', NULL, 0, name, NULL); }
void vigilant_figure(vigilant *v, const char *name, double value) { vigilant__say(v, 'g', &value, 1, name, NULL); }
void vigilant_item(vigilant *v, const char *kind, double count, const char *weight, double a_piece) {
    const double said[2] = {count, a_piece};
    vigilant__say(v, 'i', said, 2, kind, weight);
}
void vigilant_still(vigilant *v, const char *name) { vigilant__say(v, 's', NULL, 0, name, NULL); }
void vigilant_still_of(vigilant *v, const char *name, const char *sequence) { vigilant__say(v, 's', NULL, 0, name, sequence); }

void vigilant_close(vigilant *v) {
    if (!vigilant__alive(v)) return; /* a child leaves what belongs to its parent */
    if (v->begun > 0) {
        __atomic_store_n(&v->closing, 1, __ATOMIC_RELEASE);
        pthread_join(v->writer, NULL);
        if (v->lost)
            fprintf(stderr, "vigilant: %llu frames were lost: the disk was too slow\n", (unsigned long long)v->lost);
    }
    fclose(v->file);
    free(v->ring);
    free(v);
}

#endif
