/* Tell Vigilant Ledger what players meet: copy this one file into a C or C++ program.

   In one C or C++ file, before including it, say #define VIGILANT_FIELD_BODY.

       vigilant_field_setup setup = {0};
       setup.folder = "/home/player/.lanternfall";             // where it may keep what was not sent
       setup.server = "http://127.0.0.1:8470";
       setup.key = "vl_...";  setup.build = "river 41";  setup.salt = "lanternfall";
       setup.model = "Reed 5";  setup.kind = "handheld";  setup.memory_gib = 4;
       setup.labels[0] = "charger out";
       vigilant_field *f = vigilant_field_open(&setup);        // NULL: nothing is counted, every call is cheap
       vigilant_field_consent(f, 1);                           // what the player said
       vigilant_field_tier(f, 2, "full lanterns", "reflections=full;lanterns=320", "program", 1000.0 / 60, 0.05);
       vigilant_field_place(f, "landing stage", 1);            // 0: not play (loading, menus)
       vigilant_field_label(f, 0, 1);
       while (playing) vigilant_field_frame(f, frame_ms, processor_ms, graphics_ms, waited_ms);   // -1: not known
       vigilant_field_close(f, "person");

   It counts frames by bucket, per place and tier; of single frames it keeps the last 512, to see whether a refresh holds them. All of it lies
   in a file that is mapped into memory, so that a kill loses nothing; a thread of its own sends the whole session so far, now and then, at
   its end, and what was left behind at the next start. Without consent nothing is kept and nothing sent. A frame takes no lock that anybody
   holds for long, allocates nothing and asks the system for nothing but now and then the time. It speaks plain HTTP; over TLS, say how to
   send in `setup.send`. Bounds and the form: docs/formats.md, Field. One sender is used by one thread. C99 or C++, POSIX threads, GCC or
   Clang. Licence: Apache-2.0. */

#ifndef VIGILANT_FIELD_H
#define VIGILANT_FIELD_H

#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

#define VIGILANT_FIELD_LABELS 6

typedef struct vigilant_field vigilant_field;

typedef struct {
    const char *folder, *server, *key, *build, *salt;
    /* What the device says of its sort; NULL or 0 where it does not. `assigned` is "random" where the program dealt the builds. */
    const char *model, *kind, *graphics, *system, *assigned;
    double memory_gib;
    const char *labels[VIGILANT_FIELD_LABELS];
    /* Whether a refresh holds the frames: "yes", "no", or NULL to find out. */
    const char *held;
    double period_ms;
    /* Sends a body and gives the answer's status, 0 where there was none; called from a thread of its own. NULL: plain HTTP. */
    int (*send)(const char *body, size_t bytes, void *with);
    void *with;
    /* Seconds between two uploads; 0: what the server asks for. */
    double every_s;
} vigilant_field_setup;

/* Begin a session; NULL where the folder cannot be written or something needed is missing (said on stderr). */
vigilant_field *vigilant_field_open(const vigilant_field_setup *setup);
/* What the player says: with 0 all that is kept goes, and nothing is counted until it is given. */
void vigilant_field_consent(vigilant_field *f, int given);
/* Where in the program frames are played from now on; `play` 0 where they are not. */
void vigilant_field_place(vigilant_field *f, const char *name, int play);
/* The quality tier from now on. Settings are "name=value;name=value"; `set_by` is "program", "person" or "random"; a frame is late when it
   is over the budget by more than `late_over` of it. */
void vigilant_field_tier(vigilant_field *f, int level, const char *name, const char *settings, const char *set_by, double budget_ms, double late_over);
/* Whether the label of that number is true of the seconds from now on. */
void vigilant_field_label(vigilant_field *f, int label, int on);
/* One frame; lanes that are not known are -1. */
void vigilant_field_frame(vigilant_field *f, double frame_ms, double processor_ms, double graphics_ms, double waited_ms);
/* One number for the whole session, such as load_ms. */
void vigilant_field_figure(vigilant_field *f, const char *name, double value);
/* The session is over: by the "person", the "program", a "crash" or an "update". 1 where the server has it; what it has not is sent at the
   next start. */
int vigilant_field_close(vigilant_field *f, const char *how);

#ifdef __cplusplus
}
#endif
#endif

#if defined(VIGILANT_FIELD_BODY) && !defined(VIGILANT_FIELD_BODY_ONCE)
#define VIGILANT_FIELD_BODY_ONCE

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <math.h>
#include <netdb.h>
#include <pthread.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

#define VIGILANT_FIELD__BUCKETS 162
#define VIGILANT_FIELD__CELLS 40
#define VIGILANT_FIELD__PLACES 16
#define VIGILANT_FIELD__TIERS 16
#define VIGILANT_FIELD__SETS 256
#define VIGILANT_FIELD__BURSTS 64
#define VIGILANT_FIELD__FIGURES 16
#define VIGILANT_FIELD__NAME 101
#define VIGILANT_FIELD__SETTINGS 400
#define VIGILANT_FIELD__RING 40  /* seconds: ten after a burst, and thirty earlier */
#define VIGILANT_FIELD__AFTER 10
#define VIGILANT_FIELD__EARLIER 30
#define VIGILANT_FIELD__CHECKED 512
#define VIGILANT_FIELD__PENDING 64
#define VIGILANT_FIELD__TEXT (32 * 1024)
#define VIGILANT_FIELD__FULL (12 * 1024) /* from here on nothing new is opened: what is there has room to grow */
#define VIGILANT_FIELD__WAITING 8        /* sessions that were not sent and are kept */
#define VIGILANT_FIELD__OLDEST_S (30.0 * 86400)
#define VIGILANT_FIELD__RENEWED_S (90.0 * 86400)
#define VIGILANT_FIELD__MAGIC 0x31646c65696676ull

typedef struct {
    uint32_t counts[VIGILANT_FIELD__BUCKETS];
    double sum, max;
} vigilant_field__histogram;

typedef struct {
    vigilant_field__histogram all, work;
    int32_t place, tier, has_work;
    uint32_t late, late_by[3];
    double late_ms;
} vigilant_field__cell;

typedef struct {
    int32_t level;
    char name[VIGILANT_FIELD__NAME], settings[VIGILANT_FIELD__SETTINGS], set_by[8];
    double budget_ms, late_over;
} vigilant_field__tier_of;

/* All of a session, as it lies in its file. */
typedef struct {
    uint64_t magic;
    uint32_t size, seq;
    char session[40], installation[40], build[161], model[161], kind[101], graphics[161], system[161], assigned[8], held[8], ended[12];
    char labels[VIGILANT_FIELD_LABELS][VIGILANT_FIELD__NAME];
    double memory_gib, period_ms, age_s, wall_s;
    int32_t places, tiers, cells, sets, bursts, figures;
    char place_names[VIGILANT_FIELD__PLACES][VIGILANT_FIELD__NAME];
    int32_t place_play[VIGILANT_FIELD__PLACES];
    vigilant_field__tier_of tier[VIGILANT_FIELD__TIERS];
    vigilant_field__cell cell[VIGILANT_FIELD__CELLS];
    uint32_t set[VIGILANT_FIELD__SETS][6], burst[VIGILANT_FIELD__BURSTS][4];
    char figure_names[VIGILANT_FIELD__FIGURES][VIGILANT_FIELD__NAME];
    double figure_values[VIGILANT_FIELD__FIGURES];
    uint32_t refused, elsewhere;
    int32_t last_place, last_minutes, last_now, last_then; /* last_place -1: none */
} vigilant_field__state;

struct vigilant_field {
    vigilant_field_setup setup;
    char folder[512], server[300], key[128], salt[128], path[600];
    vigilant_field__state *state;
    int file, consented, place, play, tier, cell, labels;
    double limit_ms, second_ms, second_late_ms, since_time_ms, since_check_ms, began_s, recent[VIGILANT_FIELD__CHECKED];
    uint32_t second_frames, second_late, recent_count, in_place, yes, no;
    unsigned char ring[VIGILANT_FIELD__RING];
    double pending[VIGILANT_FIELD__PENDING][4];
    int pendings;
    size_t text_bytes;
    pthread_mutex_t lock;
    pthread_cond_t wake;
    pthread_t sender;
    int sending, closing;
    double every_s;
    int delivered;
};

static double vigilant_field__now_s(void) {
    struct timespec at;
    clock_gettime(CLOCK_MONOTONIC, &at);
    return (double)at.tv_sec + 1e-9 * (double)at.tv_nsec;
}

static double vigilant_field__wall_s(void) {
    struct timespec at;
    clock_gettime(CLOCK_REALTIME, &at);
    return (double)at.tv_sec + 1e-9 * (double)at.tv_nsec;
}

static void vigilant_field__copy(char *to, const char *from, size_t size) {
    size_t n = from ? strlen(from) : 0;
    if (n >= size) {
        n = size - 1;
        while (n && ((unsigned char)from[n] & 0xc0) == 0x80) n--; /* no character is cut */
    }
    if (n) memcpy(to, from, n);
    memset(to + n, 0, size - n);
}

/* -- histograms */

static int vigilant_field__bucket(double ms) {
    int i;
    if (ms <= 1.0) return 0;
    if (ms > 1024.0) return VIGILANT_FIELD__BUCKETS - 1;
    i = (int)ceil(16.0 * log2(ms));
    /* Logarithms are near an edge now and then on the wrong side of it. */
    if (ms > exp2(i / 16.0)) return i + 1;
    return ms <= exp2((i - 1) / 16.0) ? i - 1 : i;
}

static void vigilant_field__into(vigilant_field__histogram *h, double ms) {
    uint32_t *count = &h->counts[vigilant_field__bucket(ms)];
    if (*count < UINT32_MAX) ++*count;
    h->sum += ms;
    if (ms > h->max) h->max = ms;
}

/* -- is it held at a refresh? The residuals of blocks spread no more than those of single frames, if so. */

static int vigilant_field__order(const void *a, const void *b) {
    const double x = *(const double *)a, y = *(const double *)b;
    return (x > y) - (x < y);
}

static double vigilant_field__median(double *x, int n) {
    qsort(x, (size_t)n, sizeof *x, vigilant_field__order);
    return n % 2 ? x[n / 2] : 0.5 * (x[n / 2 - 1] + x[n / 2]);
}

static double vigilant_field__spread(const double *residual, int n, int size) {
    double sums[VIGILANT_FIELD__CHECKED], away[VIGILANT_FIELD__CHECKED], sum = 0, middle;
    int m = 0;
    for (int i = 0; i < n; i++) {
        sum += residual[i] - (i >= size ? residual[i - size] : 0);
        if (i >= size - 1) sums[m++] = sum;
    }
    memcpy(away, sums, (size_t)m * sizeof *sums);
    middle = vigilant_field__median(away, m);
    for (int i = 0; i < m; i++) away[i] = fabs(sums[i] - middle);
    return 1.4826 * vigilant_field__median(away, m);
}

static double vigilant_field__held_at(const double *frames) {
    enum { N = VIGILANT_FIELD__CHECKED, BLOCK = 16 };
    double ordered[N], residual[N], v, single, block;
    int start = 0, length = N, near = 0, early = 0;
    memcpy(ordered, frames, sizeof ordered);
    qsort(ordered, N, sizeof *ordered, vigilant_field__order);
    while (length > 3) {
        int half = (length + 1) / 2, best = 0;
        for (int i = 1; i + half <= length; i++) {
            if (ordered[start + i + half - 1] - ordered[start + i] < ordered[start + best + half - 1] - ordered[start + best]) best = i;
        }
        start += best;
        length = half;
    }
    if (length == 3) {
        double a = ordered[start + 1] - ordered[start], b = ordered[start + 2] - ordered[start + 1];
        v = a < b ? 0.5 * (ordered[start] + ordered[start + 1]) : a > b ? 0.5 * (ordered[start + 1] + ordered[start + 2]) : ordered[start + 1];
    } else v = 0.5 * (ordered[start] + ordered[start + 1]);
    for (int i = 0; i < N; i++) {
        near += frames[i] >= 0.85 * v && frames[i] <= 1.15 * v;
        early += frames[i] < 0.85 * v;
    }
    if (!(v > 0) || near < N / 2 || early > N / 20) return 0;
    for (int round = 0; round < 3; round++) {
        double found[N / BLOCK];
        for (int b = 0; b < N / BLOCK; b++) {
            double sum = 0, periods = 0;
            for (int i = 0; i < BLOCK; i++) {
                sum += frames[b * BLOCK + i];
                periods += nearbyint(frames[b * BLOCK + i] / v);
            }
            if (!(periods > 0)) return 0;
            found[b] = sum / periods;
        }
        v = vigilant_field__median(found, N / BLOCK);
    }
    if (!(v >= 0.9)) return 0;
    for (int i = 0; i < N; i++) residual[i] = frames[i] - v * nearbyint(frames[i] / v);
    single = vigilant_field__spread(residual, N, 1);
    if (single < 2e-5 * v) return v;
    if (single >= 0.1 * v) return 0;
    block = pow(vigilant_field__spread(residual, N, BLOCK), 2);
    return block < 4.8 * single * single && block < 3.2 * pow(vigilant_field__spread(residual, N, 2), 2) &&
                   block < 2.4 * pow(vigilant_field__spread(residual, N, 4), 2)
               ? v
               : 0;
}

/* -- counting */

static void vigilant_field__note_set(vigilant_field *f, uint32_t seconds, uint32_t frames, uint32_t late) {
    vigilant_field__state *s = f->state;
    int i;
    if (!s->labels[0][0] || f->place < 0 || f->tier < 0) return;
    for (i = 0; i < s->sets; i++) {
        if (s->set[i][0] == (uint32_t)f->place && s->set[i][1] == (uint32_t)f->tier && s->set[i][2] == (uint32_t)f->labels) break;
    }
    if (i == s->sets) {
        if (s->sets == VIGILANT_FIELD__SETS || f->text_bytes > VIGILANT_FIELD__FULL) return;
        memset(s->set[i], 0, sizeof s->set[i]);
        s->set[i][0] = (uint32_t)f->place;
        s->set[i][1] = (uint32_t)f->tier;
        s->set[i][2] = (uint32_t)f->labels;
        s->sets++;
    }
    s->set[i][3] += seconds;
    s->set[i][4] += frames;
    s->set[i][5] += late;
}

/* Before the place or a label changes: what was begun of a second counts its frames, and is no second. */
static void vigilant_field__close_second(vigilant_field *f) {
    if (f->second_frames) vigilant_field__note_set(f, 0, f->second_frames, f->second_late);
    f->second_ms = f->second_late_ms = 0;
    f->second_frames = f->second_late = 0;
}

static void vigilant_field__exposed(vigilant_field *f) {
    vigilant_field__state *s = f->state;
    int now = 0, then = 0, span, i;
    double minutes = s->age_s / 60.0;
    s->last_place = -1;
    if (f->in_place < VIGILANT_FIELD__RING || f->place < 0) return;
    for (uint32_t back = 0; back < VIGILANT_FIELD__AFTER; back++) {
        now |= f->ring[(f->in_place - 1 - back) % VIGILANT_FIELD__RING];
        then |= f->ring[(f->in_place - 1 - VIGILANT_FIELD__EARLIER - back) % VIGILANT_FIELD__RING];
    }
    span = (minutes >= 2) + (minutes >= 10) + (minutes >= 30);
    s->last_place = f->place;
    s->last_minutes = span;
    s->last_now = now;
    s->last_then = then;
    if (now == then) return;
    for (i = 0; i < s->bursts; i++) {
        if (s->burst[i][0] == (uint32_t)f->place && s->burst[i][1] == (uint32_t)span) break;
    }
    if (i == s->bursts) {
        if (s->bursts == VIGILANT_FIELD__BURSTS) return;
        memset(s->burst[i], 0, sizeof s->burst[i]);
        s->burst[i][0] = (uint32_t)f->place;
        s->burst[i][1] = (uint32_t)span;
        s->bursts++;
    }
    s->burst[i][now ? 2 : 3]++;
}

static vigilant_field__cell *vigilant_field__cell_here(vigilant_field *f) {
    vigilant_field__state *s = f->state;
    if (f->cell >= 0) return &s->cell[f->cell];
    if (f->place < 0 || f->tier < 0) return NULL;
    for (int i = 0; i < s->cells; i++) {
        if (s->cell[i].place == f->place && s->cell[i].tier == f->tier) return &s->cell[f->cell = i];
    }
    if (s->cells == VIGILANT_FIELD__CELLS || f->text_bytes > VIGILANT_FIELD__FULL) return NULL;
    memset(&s->cell[s->cells], 0, sizeof s->cell[0]);
    s->cell[s->cells].place = f->place;
    s->cell[s->cells].tier = f->tier;
    return &s->cell[f->cell = s->cells++];
}

static void vigilant_field__count(vigilant_field *f, double ms, double processor, double graphics, double waited) {
    vigilant_field__state *s = f->state;
    vigilant_field__cell *cell = vigilant_field__cell_here(f);
    int late = ms > f->limit_ms;
    if (!cell) s->elsewhere += s->elsewhere < UINT32_MAX;
    else {
        vigilant_field__into(&cell->all, ms);
        if (late) {
            cell->late++;
            cell->late_ms += ms;
            cell->late_by[processor < 0 && graphics < 0 ? 2 : (graphics > 0 ? graphics : 0) > (processor > 0 ? processor : 0)]++;
        }
        if (waited >= 0 && ms - waited > 0) {
            cell->has_work = 1;
            vigilant_field__into(&cell->work, ms - waited);
        }
    }
    f->recent[f->recent_count++ % VIGILANT_FIELD__CHECKED] = ms;
    f->second_ms += ms;
    f->second_frames++;
    if (late) {
        f->second_late++;
        f->second_late_ms += ms;
    }
    while (f->second_ms >= 1000.0) {
        vigilant_field__note_set(f, 1, f->second_frames, f->second_late);
        f->ring[f->in_place++ % VIGILANT_FIELD__RING] = f->second_late_ms >= 250.0;
        vigilant_field__exposed(f);
        f->second_ms -= 1000.0;
        f->second_frames = f->second_late = 0;
        if (f->second_ms <= 1000.0) f->second_late_ms = 0;
    }
}

static void vigilant_field__check(vigilant_field *f) {
    double frames[VIGILANT_FIELD__CHECKED], period;
    vigilant_field__state *s = f->state;
    f->since_check_ms = 0;
    if (f->setup.held || f->recent_count < VIGILANT_FIELD__CHECKED) return;
    for (uint32_t i = 0; i < VIGILANT_FIELD__CHECKED; i++) frames[i] = f->recent[(f->recent_count + i) % VIGILANT_FIELD__CHECKED];
    period = vigilant_field__held_at(frames);
    if (period > 0) {
        f->yes++;
        s->period_ms = period;
    } else f->no++;
    strcpy(s->held, 2 * f->yes >= f->yes + f->no ? "yes" : "no");
}

static void vigilant_field__time(vigilant_field *f) {
    f->state->age_s = vigilant_field__now_s() - f->began_s;
    f->state->wall_s = vigilant_field__wall_s();
    f->since_time_ms = 0;
}

static void vigilant_field__one(vigilant_field *f, double ms, double processor, double graphics, double waited) {
    if (!(ms > 0 && ms < 1e9)) {
        f->state->refused += f->state->refused < UINT32_MAX;
        return;
    }
    f->since_time_ms += ms;
    f->since_check_ms += ms;
    if (f->since_time_ms >= 1000.0) vigilant_field__time(f);
    if (f->play) vigilant_field__count(f, ms, processor, graphics, waited);
    if (f->since_check_ms >= 60000.0) vigilant_field__check(f);
}

static void vigilant_field__caught_up(vigilant_field *f) {
    for (int i = 0; i < f->pendings; i++) vigilant_field__one(f, f->pending[i][0], f->pending[i][1], f->pending[i][2], f->pending[i][3]);
    f->pendings = 0;
}

void vigilant_field_frame(vigilant_field *f, double frame_ms, double processor_ms, double graphics_ms, double waited_ms) {
    if (!f || !f->consented) return;
    /* While the sender's thread reads, frames wait beside; they are never lost. */
    if (f->pendings < VIGILANT_FIELD__PENDING ? pthread_mutex_trylock(&f->lock) : pthread_mutex_lock(&f->lock)) {
        double *kept = f->pending[f->pendings++];
        kept[0] = frame_ms;
        kept[1] = processor_ms;
        kept[2] = graphics_ms;
        kept[3] = waited_ms;
        return;
    }
    if (f->pendings) vigilant_field__caught_up(f);
    vigilant_field__one(f, frame_ms, processor_ms, graphics_ms, waited_ms);
    pthread_mutex_unlock(&f->lock);
}

static void vigilant_field__enter(vigilant_field *f) {
    pthread_mutex_lock(&f->lock);
    vigilant_field__caught_up(f);
}

static void vigilant_field__place_of(vigilant_field *f, const char *name, int play) {
    vigilant_field__state *s = f->state;
    char own[VIGILANT_FIELD__NAME];
    int i;
    vigilant_field__copy(own, name, sizeof own);
    for (i = 0; i < s->places; i++) {
        if (!strcmp(s->place_names[i], own)) break;
    }
    if (i == s->places && i < VIGILANT_FIELD__PLACES) {
        memcpy(s->place_names[i], own, sizeof own);
        s->place_play[i] = play;
        s->places++;
    }
    f->place = i < s->places ? i : -1;
    f->play = play;
    f->cell = -1;
    f->in_place = 0;
    s->last_place = -1;
}

void vigilant_field_place(vigilant_field *f, const char *name, int play) {
    if (!f || !f->state || !name || !*name) return;
    vigilant_field__enter(f);
    vigilant_field__close_second(f);
    vigilant_field__place_of(f, name, play != 0);
    pthread_mutex_unlock(&f->lock);
}

void vigilant_field_tier(vigilant_field *f, int level, const char *name, const char *settings, const char *set_by, double budget_ms, double late_over) {
    vigilant_field__state *s;
    vigilant_field__tier_of tier;
    int i;
    if (!f || !f->state || !name || !*name || level < 0 || level > 9 || !(budget_ms > 0) || !(late_over >= 0)) return;
    s = f->state;
    memset(&tier, 0, sizeof tier);
    tier.level = level;
    vigilant_field__copy(tier.name, name, sizeof tier.name);
    vigilant_field__copy(tier.settings, settings, sizeof tier.settings);
    vigilant_field__copy(tier.set_by, set_by ? set_by : "program", sizeof tier.set_by);
    tier.budget_ms = budget_ms;
    tier.late_over = late_over;
    vigilant_field__enter(f);
    for (i = 0; i < s->tiers; i++) {
        if (!memcmp(&s->tier[i], &tier, sizeof tier)) break;
    }
    /* One that no frame was played at makes room: the default that a program states otherwise at once. */
    if (i == s->tiers && s->tiers == 1 && !s->cells) i = s->tiers = 0;
    if (i == s->tiers && i < VIGILANT_FIELD__TIERS) memcpy(&s->tier[s->tiers++], &tier, sizeof tier);
    f->tier = i < s->tiers ? i : -1;
    f->limit_ms = budget_ms * (1.0 + late_over);
    f->cell = -1;
    pthread_mutex_unlock(&f->lock);
}

void vigilant_field_label(vigilant_field *f, int label, int on) {
    int next;
    if (!f || !f->state || label < 0 || label >= VIGILANT_FIELD_LABELS || !f->state->labels[label][0]) return;
    next = on ? f->labels | 1 << label : f->labels & ~(1 << label);
    if (next == f->labels) return;
    vigilant_field__enter(f);
    vigilant_field__close_second(f);
    f->labels = next;
    pthread_mutex_unlock(&f->lock);
}

void vigilant_field_figure(vigilant_field *f, const char *name, double value) {
    vigilant_field__state *s;
    int i;
    if (!f || !f->state || !name || !*name || !(fabs(value) < 1e18)) return;
    s = f->state;
    vigilant_field__enter(f);
    for (i = 0; i < s->figures; i++) {
        if (!strcmp(s->figure_names[i], name)) break;
    }
    if (i < VIGILANT_FIELD__FIGURES) {
        vigilant_field__copy(s->figure_names[i], name, VIGILANT_FIELD__NAME);
        s->figure_values[i] = value;
        if (i == s->figures) s->figures++;
    }
    pthread_mutex_unlock(&f->lock);
}

/* -- as it is sent */

typedef struct {
    char *text;
    size_t size, used;
} vigilant_field__out;

static void vigilant_field__put(vigilant_field__out *out, const char *text) {
    while (*text && out->used + 1 < out->size) out->text[out->used++] = *text++;
    out->text[out->used < out->size ? out->used : out->size - 1] = 0;
}

static void vigilant_field__quoted(vigilant_field__out *out, const char *text) {
    char one[8];
    vigilant_field__put(out, "\"");
    for (; *text; text++) {
        if (*text == '"' || *text == '\\') snprintf(one, sizeof one, "\\%c", *text);
        else if ((unsigned char)*text < 0x20) snprintf(one, sizeof one, "\\u%04x", (unsigned char)*text);
        else snprintf(one, sizeof one, "%c", *text);
        vigilant_field__put(out, one);
    }
    vigilant_field__put(out, "\"");
}

static void vigilant_field__number(vigilant_field__out *out, double value) {
    char text[40];
    snprintf(text, sizeof text, "%.17g", value);
    for (char *c = text; *c; c++) {
        if (*c == ',') *c = '.'; /* whatever the locale */
    }
    vigilant_field__put(out, text);
}

static void vigilant_field__named(vigilant_field__out *out, const char *name, double value) {
    vigilant_field__put(out, name);
    vigilant_field__number(out, value);
}

static void vigilant_field__said(vigilant_field__out *out, const char *name, const char *value) {
    vigilant_field__put(out, name);
    vigilant_field__quoted(out, value);
}

static size_t vigilant_field__varint(unsigned char *to, uint32_t value) {
    size_t n = 0;
    for (; value > 127; value >>= 7) to[n++] = (unsigned char)(value | 128);
    to[n++] = (unsigned char)value;
    return n;
}

static void vigilant_field__packed(vigilant_field__out *out, const vigilant_field__histogram *h) {
    static const char digits[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    unsigned char bytes[VIGILANT_FIELD__BUCKETS * 7 + 3];
    size_t n = 0;
    uint32_t empty = 0;
    for (int i = 0; i < VIGILANT_FIELD__BUCKETS; i++) {
        if (!h->counts[i]) {
            empty++;
            continue;
        }
        n += vigilant_field__varint(bytes + n, empty);
        n += vigilant_field__varint(bytes + n, h->counts[i]);
        empty = 0;
    }
    memset(bytes + n, 0, 3);
    vigilant_field__put(out, "\"frames\":\"");
    for (size_t i = 0; i < n; i += 3) {
        char four[5] = {digits[bytes[i] >> 2], digits[(bytes[i] & 3) << 4 | bytes[i + 1] >> 4], '=', '=', 0};
        if (i + 1 < n) four[2] = digits[(bytes[i + 1] & 15) << 2 | bytes[i + 2] >> 6];
        if (i + 2 < n) four[3] = digits[bytes[i + 2] & 63];
        vigilant_field__put(out, four);
    }
    vigilant_field__named(out, "\",\"sum_ms\":", h->sum);
    vigilant_field__named(out, ",\"max_ms\":", h->max);
}

static void vigilant_field__settings(vigilant_field__out *out, const char *settings) {
    char own[VIGILANT_FIELD__SETTINGS], *at = own, *rest = NULL, *value;
    int first = 1;
    vigilant_field__copy(own, settings, sizeof own);
    vigilant_field__put(out, ",\"settings\":{");
    for (char *pair = strtok_r(at, ";", &rest); pair; pair = strtok_r(NULL, ";", &rest)) {
        if (!(value = strchr(pair, '=')) || value == pair) continue;
        *value++ = 0;
        if (!first) vigilant_field__put(out, ",");
        vigilant_field__quoted(out, pair);
        vigilant_field__put(out, ":");
        vigilant_field__quoted(out, value);
        first = 0;
    }
    vigilant_field__put(out, "}");
}

static void vigilant_field__rows(vigilant_field__out *out, const char *name, const uint32_t *rows, int count, int width) {
    char one[16];
    vigilant_field__put(out, name);
    for (int i = 0; i < count * width; i++) {
        snprintf(one, sizeof one, "%s%u%s", i % width ? "," : i ? ",[" : "[", rows[i], i % width == width - 1 ? "]" : "");
        vigilant_field__put(out, one);
    }
    vigilant_field__put(out, "]");
}

static size_t vigilant_field__written(const vigilant_field__state *s, const char *ended, double age_s, char *text, size_t size) {
    static const char *minutes[] = {"0", "1", "2", "3"};
    vigilant_field__out out = {text, size, 0};
    vigilant_field__put(&out, "{\"vigilant_field\":1,\"edges\":1");
    vigilant_field__said(&out, ",\"session\":", s->session);
    vigilant_field__named(&out, ",\"seq\":", s->seq);
    vigilant_field__said(&out, ",\"installation\":", s->installation);
    vigilant_field__named(&out, ",\"age_s\":", age_s);
    vigilant_field__said(&out, ",\"build\":", s->build);
    vigilant_field__said(&out, ",\"assigned\":", s->assigned);
    vigilant_field__said(&out, ",\"device\":{\"model\":", s->model);
    if (s->kind[0]) vigilant_field__said(&out, ",\"kind\":", s->kind);
    if (s->graphics[0]) vigilant_field__said(&out, ",\"graphics\":", s->graphics);
    if (s->system[0]) vigilant_field__said(&out, ",\"system\":", s->system);
    if (s->memory_gib > 0) vigilant_field__named(&out, ",\"memory_gib\":", s->memory_gib);
    vigilant_field__said(&out, "},\"held\":{\"told\":", s->held);
    if (s->period_ms > 0) vigilant_field__named(&out, ",\"period_ms\":", s->period_ms);
    vigilant_field__put(&out, "},\"places\":[");
    for (int i = 0; i < s->places; i++) {
        vigilant_field__said(&out, i ? ",{\"name\":" : "{\"name\":", s->place_names[i]);
        vigilant_field__put(&out, s->place_play[i] ? "}" : ",\"play\":false}");
    }
    vigilant_field__put(&out, "],\"tiers\":[");
    for (int i = 0; i < s->tiers; i++) {
        vigilant_field__named(&out, i ? ",{\"level\":" : "{\"level\":", s->tier[i].level);
        vigilant_field__said(&out, ",\"name\":", s->tier[i].name);
        vigilant_field__settings(&out, s->tier[i].settings);
        vigilant_field__said(&out, ",\"set_by\":", s->tier[i].set_by);
        vigilant_field__named(&out, ",\"budget_ms\":", s->tier[i].budget_ms);
        vigilant_field__named(&out, ",\"tolerance\":", s->tier[i].late_over);
        vigilant_field__put(&out, "}");
    }
    vigilant_field__put(&out, "],\"cells\":[");
    for (int i = 0; i < s->cells; i++) {
        const vigilant_field__cell *cell = &s->cell[i];
        vigilant_field__named(&out, i ? ",{\"place\":" : "{\"place\":", cell->place);
        vigilant_field__named(&out, ",\"tier\":", cell->tier);
        vigilant_field__put(&out, ",");
        vigilant_field__packed(&out, &cell->all);
        vigilant_field__named(&out, ",\"late\":", cell->late);
        vigilant_field__rows(&out, ",\"late_by\":", cell->late_by, 1, 3);
        out.used -= 1; /* a row stands alone here */
        vigilant_field__named(&out, ",\"late_ms\":", cell->late_ms);
        vigilant_field__named(&out, ",\"play_s\":", cell->all.sum / 1000.0);
        if (cell->has_work) {
            vigilant_field__put(&out, ",\"work\":{");
            vigilant_field__packed(&out, &cell->work);
            vigilant_field__put(&out, "}");
        }
        vigilant_field__put(&out, "}");
    }
    vigilant_field__put(&out, "],\"labels\":[");
    for (int i = 0; i < VIGILANT_FIELD_LABELS && s->labels[i][0]; i++) {
        if (i) vigilant_field__put(&out, ",");
        vigilant_field__quoted(&out, s->labels[i]);
    }
    vigilant_field__rows(&out, "],\"sets\":[", &s->set[0][0], s->sets, 6);
    vigilant_field__rows(&out, ",\"bursts\":[", &s->burst[0][0], s->bursts, 4);
    if (s->last_place >= 0) {
        vigilant_field__named(&out, ",\"last\":{\"place\":", s->last_place);
        vigilant_field__put(&out, ",\"minutes\":");
        vigilant_field__put(&out, minutes[s->last_minutes & 3]);
        vigilant_field__put(&out, s->last_now ? ",\"now\":true" : ",\"now\":false");
        vigilant_field__put(&out, s->last_then ? ",\"then\":true}" : ",\"then\":false}");
    }
    if (*ended) vigilant_field__said(&out, ",\"ended\":", ended);
    vigilant_field__put(&out, ",\"figures\":{");
    for (int i = 0; i < s->figures; i++) {
        if (i) vigilant_field__put(&out, ",");
        vigilant_field__quoted(&out, s->figure_names[i]);
        vigilant_field__named(&out, ":", s->figure_values[i]);
    }
    vigilant_field__named(&out, "},\"refused_frames\":", s->refused);
    vigilant_field__named(&out, ",\"elsewhere_frames\":", s->elsewhere);
    vigilant_field__put(&out, "}");
    return out.used;
}

/* Plain HTTP: the status of the answer, 0 where there was none; `next_s` where the server asks for another upload in so many seconds. */
static int vigilant_field__post(const vigilant_field *f, const char *body, size_t bytes, double *next_s) {
    char host[256], port[16] = "80", head[900], answer[4096];
    const char *at = f->server, *end, *colon, *asked;
    const struct timeval patience = {10, 0};
    struct addrinfo like, *found = NULL;
    size_t got = 0;
    int file = -1, status = 0, length;
    ssize_t n;
    if (strncmp(at, "http://", 7)) return 0;
    at += 7;
    end = at + strcspn(at, "/");
    colon = (const char *)memchr(at, ':', (size_t)(end - at));
    if ((size_t)((colon ? colon : end) - at) >= sizeof host) return 0;
    snprintf(host, sizeof host, "%.*s", (int)((colon ? colon : end) - at), at);
    if (colon) snprintf(port, sizeof port, "%.*s", (int)(end - colon - 1), colon + 1);
    memset(&like, 0, sizeof like);
    like.ai_socktype = SOCK_STREAM;
    if (getaddrinfo(host, port, &like, &found)) return 0;
    for (struct addrinfo *one = found; one && file < 0; one = one->ai_next) {
        file = socket(one->ai_family, one->ai_socktype, one->ai_protocol);
        if (file < 0) continue;
        setsockopt(file, SOL_SOCKET, SO_SNDTIMEO, &patience, sizeof patience);
        setsockopt(file, SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
        if (connect(file, one->ai_addr, one->ai_addrlen)) {
            close(file);
            file = -1;
        }
    }
    freeaddrinfo(found);
    if (file < 0) return 0;
    length = snprintf(head, sizeof head,
                      "POST /api/field/sessions/ HTTP/1.1\r\nHost: %s:%s\r\nAuthorization: Bearer %s\r\nContent-Type: application/json\r\n"
                      "Content-Length: %zu\r\nConnection: close\r\n\r\n",
                      host, port, f->key, bytes);
    if (send(file, head, (size_t)length, MSG_NOSIGNAL) == length) {
        size_t sent = 0;
        while (sent < bytes && (n = send(file, body + sent, bytes - sent, MSG_NOSIGNAL)) > 0) sent += (size_t)n;
        while (sent == bytes && got + 1 < sizeof answer && (n = recv(file, answer + got, sizeof answer - 1 - got, 0)) > 0) got += (size_t)n;
    }
    close(file);
    answer[got] = 0;
    if (sscanf(answer, "HTTP/1.%*d %d", &status) != 1) return 0;
    if ((asked = strstr(answer, "\"next_s\":"))) *next_s = atof(asked + 9);
    return status;
}

static int vigilant_field__send(const vigilant_field *f, const char *body, size_t bytes, double *next_s) {
    return f->setup.send ? f->setup.send(body, bytes, f->setup.with) : vigilant_field__post(f, body, bytes, next_s);
}

/* What the server has, or refuses for good, is done with; the rest is tried again. */
static int vigilant_field__done(int status) { return status >= 200 && status < 500 && status != 429 && status != 401; }

/* Sends the session so far; 1 where the server has it. */
static int vigilant_field__upload(vigilant_field *f) {
    char *text;
    size_t bytes;
    double next_s = 0;
    int status, cells;
    if (!(text = (char *)malloc(VIGILANT_FIELD__TEXT))) return 0;
    pthread_mutex_lock(&f->lock);
    f->state->seq++;
    vigilant_field__time(f);
    cells = f->state->cells;
    bytes = vigilant_field__written(f->state, f->state->ended, f->state->age_s, text, VIGILANT_FIELD__TEXT);
    f->text_bytes = bytes;
    if (!f->state->ended[0]) f->state->seq++; /* what a kill leaves behind comes after what is sent now */
    pthread_mutex_unlock(&f->lock);
    status = cells && bytes + 1 < VIGILANT_FIELD__TEXT ? vigilant_field__send(f, text, bytes, &next_s) : 0;
    free(text);
    if (next_s >= 10 && next_s <= 3600 && !(f->setup.every_s > 0)) f->every_s = next_s;
    return vigilant_field__done(status);
}

/* Sessions of earlier starts that nobody runs any more: sent as they are, and gone once the server has them. */
static void vigilant_field__left_behind(vigilant_field *f) {
    struct dirent *entry;
    DIR *folder = opendir(f->folder);
    char *text = (char *)malloc(VIGILANT_FIELD__TEXT);
    int seen = 0;
    while (folder && text && (entry = readdir(folder))) {
        char path[800];
        vigilant_field__state *s;
        size_t length = strlen(entry->d_name);
        int file, gone = 0;
        if (length < 7 || strcmp(entry->d_name + length - 6, ".field")) continue;
        snprintf(path, sizeof path, "%s/%s", f->folder, entry->d_name);
        if (!strcmp(path, f->path) || (file = open(path, O_RDWR)) < 0) continue;
        if (flock(file, LOCK_EX | LOCK_NB)) {
            close(file); /* another process plays it */
            continue;
        }
        s = lseek(file, 0, SEEK_END) == (off_t)sizeof *s ? (vigilant_field__state *)mmap(NULL, sizeof *s, PROT_READ, MAP_PRIVATE, file, 0) : NULL;
        if (s && s != MAP_FAILED && s->magic == VIGILANT_FIELD__MAGIC && s->size == sizeof *s) {
            double since = vigilant_field__wall_s() - s->wall_s, next_s = 0;
            double age_s = s->age_s + (since > 0 ? since : 0);
            if (!s->cells || age_s > VIGILANT_FIELD__OLDEST_S || ++seen > VIGILANT_FIELD__WAITING) gone = 1;
            else {
                size_t bytes = vigilant_field__written(s, s->ended[0] ? s->ended : "vanished", age_s, text, VIGILANT_FIELD__TEXT);
                gone = vigilant_field__done(vigilant_field__send(f, text, bytes, &next_s));
            }
        } else gone = 1; /* of another version, or cut off */
        if (s && s != MAP_FAILED) munmap(s, sizeof *s);
        if (gone) unlink(path);
        close(file);
    }
    free(text);
    if (folder) closedir(folder);
}

static void *vigilant_field__sender(void *of) {
    vigilant_field *f = (vigilant_field *)of;
    int over;
    vigilant_field__left_behind(f);
    do {
        struct timespec until;
        pthread_mutex_lock(&f->lock);
        clock_gettime(CLOCK_REALTIME, &until);
        until.tv_sec += (time_t)f->every_s;
        while (!f->closing && pthread_cond_timedwait(&f->wake, &f->lock, &until) != ETIMEDOUT) continue;
        over = f->closing;
        pthread_mutex_unlock(&f->lock);
        f->delivered = vigilant_field__upload(f);
    } while (!over);
    return NULL;
}

/* -- ids: SHA-256 by FIPS 180-4 */

static uint32_t vigilant_field__turn(uint32_t x, int n) { return x >> n | x << (32 - n); }

static void vigilant_field__sha256(const char *text, char *hex) {
    static const uint32_t begin[8] = {0x6a09e667, 0xbb67ae85, 0x3c6ef372, 0xa54ff53a, 0x510e527f, 0x9b05688c, 0x1f83d9ab, 0x5be0cd19};
    unsigned char data[640];
    uint32_t h[8], k[64];
    size_t length = strlen(text), blocks;
    int primes = 0;
    if (length > sizeof data - 73) length = sizeof data - 73;
    for (int n = 2; primes < 64; n++) {
        int divides = 0;
        for (int d = 2; d * d <= n; d++) divides |= n % d == 0;
        if (!divides) {
            double root = cbrt((double)n);
            k[primes++] = (uint32_t)((root - floor(root)) * 4294967296.0);
        }
    }
    memset(data, 0, sizeof data);
    memcpy(data, text, length);
    data[length] = 0x80;
    blocks = (length + 8) / 64 + 1;
    for (int i = 0; i < 8; i++) data[blocks * 64 - 1 - (size_t)i] = (unsigned char)((uint64_t)length * 8 >> (8 * i));
    memcpy(h, begin, sizeof h);
    for (size_t b = 0; b < blocks; b++) {
        uint32_t w[64], s[8];
        for (int i = 0; i < 16; i++) {
            const unsigned char *at = data + b * 64 + (size_t)i * 4;
            w[i] = (uint32_t)at[0] << 24 | (uint32_t)at[1] << 16 | (uint32_t)at[2] << 8 | at[3];
        }
        for (int i = 16; i < 64; i++) {
            uint32_t a = w[i - 15], c = w[i - 2];
            w[i] = w[i - 16] + (vigilant_field__turn(a, 7) ^ vigilant_field__turn(a, 18) ^ a >> 3) + w[i - 7] +
                   (vigilant_field__turn(c, 17) ^ vigilant_field__turn(c, 19) ^ c >> 10);
        }
        memcpy(s, h, sizeof s);
        for (int i = 0; i < 64; i++) {
            uint32_t t1 = s[7] + (vigilant_field__turn(s[4], 6) ^ vigilant_field__turn(s[4], 11) ^ vigilant_field__turn(s[4], 25)) +
                          ((s[4] & s[5]) ^ (~s[4] & s[6])) + k[i] + w[i];
            uint32_t t2 = (vigilant_field__turn(s[0], 2) ^ vigilant_field__turn(s[0], 13) ^ vigilant_field__turn(s[0], 22)) +
                          ((s[0] & s[1]) ^ (s[0] & s[2]) ^ (s[1] & s[2]));
            memmove(s + 1, s, 7 * sizeof *s);
            s[4] += t1;
            s[0] = t1 + t2;
        }
        for (int i = 0; i < 8; i++) h[i] += s[i];
    }
    for (int i = 0; i < 8; i++) snprintf(hex + 8 * i, 9, "%08x", h[i]);
}

static int vigilant_field__random_id(char id[40]) {
    unsigned char b[16];
    int file = open("/dev/urandom", O_RDONLY);
    ssize_t got = file < 0 ? -1 : read(file, b, sizeof b);
    if (file >= 0) close(file);
    if (got != (ssize_t)sizeof b) return 0;
    b[6] = (unsigned char)((b[6] & 0x0f) | 0x40);
    b[8] = (unsigned char)((b[8] & 0x3f) | 0x80);
    snprintf(id, 40, "%02x%02x%02x%02x-%02x%02x-%02x%02x-%02x%02x-%02x%02x%02x%02x%02x%02x", b[0], b[1], b[2], b[3], b[4], b[5], b[6], b[7],
             b[8], b[9], b[10], b[11], b[12], b[13], b[14], b[15]);
    return 1;
}

/* The installation's own random id stays in the folder; its salted hash is sent. It is another one after ninety days. */
static int vigilant_field__installation(vigilant_field *f, char hash[40]) {
    char path[600], fresh[616], id[40] = "", text[240], hex[72];
    double made = 0;
    FILE *file;
    snprintf(path, sizeof path, "%s/installation", f->folder);
    if ((file = fopen(path, "r"))) {
        if (fscanf(file, "%39s %lf", id, &made) != 2) id[0] = 0;
        fclose(file);
    }
    if (strlen(id) != 36 || vigilant_field__wall_s() < made || vigilant_field__wall_s() - made > VIGILANT_FIELD__RENEWED_S) {
        if (!vigilant_field__random_id(id)) return 0;
        snprintf(fresh, sizeof fresh, "%s.new", path);
        if (!(file = fopen(fresh, "w"))) return 0;
        fprintf(file, "%s %.0f\n", id, floor(vigilant_field__wall_s()));
        if (fclose(file) || rename(fresh, path)) return 0;
    }
    snprintf(text, sizeof text, "%s:%s", f->salt, id);
    vigilant_field__sha256(text, hex);
    vigilant_field__copy(hash, hex, 33);
    return 1;
}

/* -- a session begins, and ends */

static int vigilant_field__begin(vigilant_field *f) {
    const vigilant_field_setup *setup = &f->setup;
    char session[40];
    vigilant_field__state *s;
    if (!vigilant_field__random_id(session)) return 0;
    snprintf(f->path, sizeof f->path, "%s/%s.field", f->folder, session);
    f->file = open(f->path, O_RDWR | O_CREAT | O_EXCL, 0600);
    if (f->file < 0 || flock(f->file, LOCK_EX | LOCK_NB) || ftruncate(f->file, sizeof *s)) return 0;
    s = (vigilant_field__state *)mmap(NULL, sizeof *s, PROT_READ | PROT_WRITE, MAP_SHARED, f->file, 0);
    if (s == MAP_FAILED) return 0;
    memset(s, 0, sizeof *s); /* its pages are there before the first frame */
    s->magic = VIGILANT_FIELD__MAGIC;
    s->size = sizeof *s;
    s->seq = 1; /* of what a kill leaves behind before anything was sent */
    memcpy(s->session, session, sizeof session);
    vigilant_field__copy(s->build, setup->build, sizeof s->build);
    vigilant_field__copy(s->model, setup->model, sizeof s->model);
    vigilant_field__copy(s->kind, setup->kind, sizeof s->kind);
    vigilant_field__copy(s->graphics, setup->graphics, sizeof s->graphics);
    vigilant_field__copy(s->system, setup->system, sizeof s->system);
    vigilant_field__copy(s->assigned, setup->assigned, sizeof s->assigned);
    vigilant_field__copy(s->held, setup->held ? setup->held : "unknown", sizeof s->held);
    s->memory_gib = setup->memory_gib;
    s->period_ms = setup->held ? setup->period_ms : 0;
    for (int i = 0; i < VIGILANT_FIELD_LABELS && setup->labels[i]; i++) vigilant_field__copy(s->labels[i], setup->labels[i], VIGILANT_FIELD__NAME);
    s->last_place = -1;
    f->state = s;
    f->began_s = vigilant_field__now_s();
    f->every_s = setup->every_s > 0 ? setup->every_s : 300;
    f->labels = 0;
    f->cell = -1;
    f->pendings = 0;
    f->in_place = f->recent_count = f->yes = f->no = 0;
    f->text_bytes = 0;
    vigilant_field__time(f);
    vigilant_field__place_of(f, "everywhere", 1);
    return vigilant_field__installation(f, s->installation);
}

static void vigilant_field__drop(vigilant_field *f) {
    if (f->state) munmap(f->state, sizeof *f->state);
    if (f->file >= 0) close(f->file);
    f->state = NULL;
    f->file = -1;
}

vigilant_field *vigilant_field_open(const vigilant_field_setup *setup) {
    vigilant_field *f;
    if (!setup || !setup->folder || !setup->build || !*setup->build || !setup->model || !*setup->model || (!setup->send && (!setup->server || !setup->key))) {
        fprintf(stderr, "vigilant: nothing of the field is counted: folder, build, model, server and key are needed\n");
        return NULL;
    }
    f = (vigilant_field *)calloc(1, sizeof *f);
    if (!f) return NULL;
    f->setup = *setup;
    f->file = -1;
    vigilant_field__copy(f->folder, setup->folder, sizeof f->folder);
    vigilant_field__copy(f->server, setup->server, sizeof f->server);
    vigilant_field__copy(f->key, setup->key, sizeof f->key);
    vigilant_field__copy(f->salt, setup->salt, sizeof f->salt);
    pthread_mutex_init(&f->lock, NULL);
    pthread_cond_init(&f->wake, NULL);
    if (access(f->folder, W_OK)) {
        fprintf(stderr, "vigilant: nothing of the field is counted: %s cannot be written\n", f->folder);
        free(f);
        return NULL;
    }
    return f;
}

static void vigilant_field__remove_all(const vigilant_field *f) {
    struct dirent *entry;
    char path[800];
    DIR *folder = opendir(f->folder);
    while (folder && (entry = readdir(folder))) {
        size_t length = strlen(entry->d_name);
        if (strcmp(entry->d_name, "installation") && (length < 7 || strcmp(entry->d_name + length - 6, ".field"))) continue;
        snprintf(path, sizeof path, "%s/%s", f->folder, entry->d_name);
        unlink(path);
    }
    if (folder) closedir(folder);
}

static void vigilant_field__stop(vigilant_field *f) {
    if (!f->sending) return;
    pthread_mutex_lock(&f->lock);
    f->closing = 1;
    pthread_cond_signal(&f->wake);
    pthread_mutex_unlock(&f->lock);
    pthread_join(f->sender, NULL);
    f->sending = f->closing = 0;
}

void vigilant_field_consent(vigilant_field *f, int given) {
    if (!f || (given != 0) == f->consented) return;
    if (!given) {
        f->consented = 0;
        pthread_mutex_lock(&f->lock);
        f->state->cells = 0; /* nothing more of it is sent */
        pthread_mutex_unlock(&f->lock);
        vigilant_field__stop(f);
        vigilant_field__drop(f);
        vigilant_field__remove_all(f);
        return;
    }
    if (!vigilant_field__begin(f) || pthread_create(&f->sender, NULL, vigilant_field__sender, f)) {
        fprintf(stderr, "vigilant: nothing of the field is counted: %s cannot be written\n", f->folder);
        vigilant_field__drop(f);
        return;
    }
    f->sending = f->consented = 1;
    vigilant_field_tier(f, 0, "as it is", "", "program", 1000.0 / 60, 0.05);
}

int vigilant_field_close(vigilant_field *f, const char *how) {
    int delivered = 0;
    if (!f) return 0;
    if (f->consented) {
        vigilant_field__enter(f);
        vigilant_field__close_second(f);
        vigilant_field__copy(f->state->ended, how ? how : "person", sizeof f->state->ended);
        pthread_mutex_unlock(&f->lock);
        vigilant_field__stop(f);
        delivered = f->delivered;
        if (delivered || !f->state->cells) unlink(f->path);
        vigilant_field__drop(f);
    }
    pthread_mutex_destroy(&f->lock);
    pthread_cond_destroy(&f->wake);
    free(f);
    return delivered;
}

#endif
