/*
 * Records a running game: frames, nested markers and what the game says of itself, to a file or to a running Lapsus.
 * One header for C99 and C++, POSIX systems, nothing but their own libraries; link with -pthread. In one source file:
 *
 *     #define LAPSUS_IMPLEMENTATION
 *     #include "lapsus.h"
 *
 *     lapsus_options options;
 *     memset(&options, 0, sizeof options);
 *     options.game = "My Game";
 *     options.to = "127.0.0.1:4780";                              (or "night.lapsus")
 *     lapsus *probe = lapsus_begin(&options);
 *     lapsus_lane *loop = lapsus_main(probe);
 *     int update = lapsus_marker(probe, "update", "simulation", "work");
 *     int wait = lapsus_marker(probe, "wait", "", "wait:refresh");
 *     while (playing) {
 *         lapsus_frame(probe);
 *         lapsus_enter(loop, update);
 *         ...
 *         lapsus_leave(loop, LAPSUS_UNSAID);
 *         lapsus_enter(loop, wait);
 *         ...
 *         lapsus_leave(loop, LAPSUS_UNSAID);
 *     }
 *     lapsus_close(probe);
 *
 * In C++ a scope records itself: lapsus_scope scope(loop, update);
 *
 * No call fails: what is wrong is mended or left out, counted, and shown with the take. Where nothing is recorded a call
 * costs one test. The format is that of docs/format.md.
 */
#ifndef LAPSUS_H
#define LAPSUS_H

#include <stddef.h>
#include <stdint.h>

#define LAPSUS_VERSION "0.2.0"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct lapsus lapsus;
typedef struct lapsus_lane lapsus_lane;
typedef struct lapsus_updater lapsus_updater;

/* What a run says about itself when it ends; for one with a key, its answer. */
enum { LAPSUS_UNSAID = 0, LAPSUS_UNCHANGED = 1, LAPSUS_CHANGED = 2 };
/* Why an updater need not be updated now. */
enum { LAPSUS_UNSEEN = 0, LAPSUS_FAR = 1, LAPSUS_ASLEEP = 2 };

/* What is 0 has a value of its own accord. Texts are UTF-8. */
typedef struct {
    const char *game;
    double target;             /* frames a second; 60 */
    const char *to;            /* address of a running Lapsus, of several with commas, or a file path; none: nothing is
                                  recorded. LAPSUS_TO in the environment goes before it */
    const char *key;           /* ingest key, for a Lapsus that asks for one; else LAPSUS_KEY */
    const char *take;          /* identity of the take; else LAPSUS_TAKE, else a new one */
    const char *build, *device, *scene, *load, *version;
    const double *seed;
    int buffer_mb;             /* undelivered bytes that may wait; beyond it whole frames are left out; 64 */
    void (*on_problem)(void *context, const char *words); /* by default they are written to stderr */
    void *context;
} lapsus_options;

/* One entry of a moment's data: a text, or else a number. */
typedef struct {
    const char *name;
    const char *text;
    double number;
} lapsus_datum;

/* Never NULL. */
lapsus *lapsus_begin(const lapsus_options *options);
/* Ends the take and delivers what is left; a silent server is waited for at most two seconds. The probe is gone then.
 * A game that exits without it gets its whole take, too; one that a signal ends loses the last half second.
 * Returns whether all was written, or stored. */
int lapsus_close(lapsus *probe);

/* Once, outside the loop; the same name gives the same number. kind: "work", "wait:refresh", "wait:graphics", "wait:job",
 * "wait:io" or "collect". */
#define lapsus_marker(probe, name, group, kind) lapsus_marker_at(probe, name, group, kind, __FILE__, __LINE__)
/* For what declares markers for others: where in the code they stand. The file's name is not copied; NULL for nowhere. */
int lapsus_marker_at(lapsus *probe, const char *name, const char *group, const char *kind, const char *file, int line);
/* Right after it: a tag such as "search", and a watched value that its runs look at. */
void lapsus_tag(lapsus *probe, int marker, const char *tag);
void lapsus_looks_at(lapsus *probe, int marker, int watch);
int lapsus_gauge_id(lapsus *probe, const char *name, const char *unit);
int lapsus_watch_id(lapsus *probe, const char *name);
/* marker: of each update of one, or -1. */
int lapsus_class_id(lapsus *probe, const char *name, int marker);
/* The lane of the thread that calls lapsus_frame, and one for each other thread, which alone enters and leaves there. */
lapsus_lane *lapsus_main(lapsus *probe);
lapsus_lane *lapsus_new_lane(lapsus *probe, const char *name);

/* At the top of each turn of the loop: closes the last frame, opens the next. */
void lapsus_frame(lapsus *probe);
/* Ends the open frame where it stands: there is none until the next lapsus_frame. For a loop that rests. */
void lapsus_pause(lapsus *probe);
/* The same, and records no more; what was recorded is delivered by lapsus_close. */
void lapsus_stop(lapsus *probe);
void lapsus_enter(lapsus_lane *lane, int marker);
/* The key says what the run is about, from 1. */
void lapsus_enter_key(lapsus_lane *lane, int marker, uint32_t key);
void lapsus_leave(lapsus_lane *lane, int effect);

/* On the thread that calls lapsus_frame: */
void lapsus_gauge(lapsus *probe, int gauge, double value);
void lapsus_moment(lapsus *probe, const char *name, const lapsus_datum *data, size_t count);
/* Of the screen: a PNG, JPEG or WebP, at most 320 pixels wide and 48 kB. Two a second are kept, so give it once a frame. */
void lapsus_picture(lapsus *probe, const void *bytes, size_t size);
void lapsus_steps(lapsus *probe, uint32_t steps);
void lapsus_watch(lapsus *probe, int watch, double value);
void lapsus_born(lapsus *probe, int of_class, double bytes);
void lapsus_died(lapsus *probe, int of_class);
lapsus_updater *lapsus_new_updater(lapsus *probe, int of_class, double every_ms);
void lapsus_enable(lapsus_updater *updater, int enabled);
void lapsus_every(lapsus_updater *updater, double ms);
void lapsus_idle(lapsus_updater *updater, int why, int is_idle);
void lapsus_dispose(lapsus_updater *updater);
/* Two to eight ways of doing the same, used in turn, each for a block of frames; which one is in use, from 0. */
int lapsus_trial(lapsus *probe, const char *name, const char *const *variants, int count, int frames);
int lapsus_variant(const lapsus *probe, int trial);

/* Work handed to another thread; 0 where nothing is recorded. Wait for it in a run with its number as the key. */
uint32_t lapsus_dispatch(lapsus *probe, int marker);
void lapsus_begin_job(lapsus_lane *lane, uint32_t job, int marker);
void lapsus_end_job(lapsus_lane *lane, uint32_t job, int marker);

/* Nanoseconds on the clock of the spans. */
uint64_t lapsus_now_ns(void);

#ifdef __cplusplus
}

/* Whatever leaves the scope ends the run. */
class lapsus_scope {
public:
    lapsus_scope(lapsus_lane *lane, int marker) : lane_(lane) { lapsus_enter(lane, marker); }
    lapsus_scope(const lapsus_scope &) = delete;
    lapsus_scope &operator=(const lapsus_scope &) = delete;
    ~lapsus_scope() { lapsus_leave(lane_, effect); }
    int effect = LAPSUS_UNSAID;

private:
    lapsus_lane *lane_;
};
#endif

#ifdef LAPSUS_IMPLEMENTATION

#include <errno.h>
#include <fcntl.h>
#include <math.h>
#include <netdb.h>
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/time.h>
#include <time.h>
#include <unistd.h>

#define LAPSUS_CHUNK_NS 500000000u
#define LAPSUS_CHUNK_SPANS 60000u
#define LAPSUS_MOST_SPANS 200000u
#define LAPSUS_MOST_DEPTH 255
#define LAPSUS_MOST_MARKERS 16384
#define LAPSUS_MOST_NAMES 1024
#define LAPSUS_MOST_LANES 256
#define LAPSUS_MOST_NAME 200u
#define LAPSUS_ASK_NS 1000000u /* what is taken from the thread of another lane is asked no more often */
#define LAPSUS_MOST_FILE 1000u
#define LAPSUS_MOST_TRIALS 16
#define LAPSUS_MOST_VARIANTS 8
#define LAPSUS_MOST_PROBLEMS 64
#define LAPSUS_MOST_MOMENTS 60000u
#define LAPSUS_MOST_JOB_EVENTS 60000u
#define LAPSUS_MOST_PICTURES 64u
#define LAPSUS_PICTURE_BYTES 49152u
#define LAPSUS_PICTURE_WIDTH 320u
#define LAPSUS_PICTURE_NS 500000000u
#define LAPSUS_MOST_DATA 12000u
#define LAPSUS_BODY_BYTES ((size_t)8 << 20)
#define LAPSUS_PATIENCE_S 2
/* What is acknowledged is kept for so long: a server may come back with less than it had. */
#define LAPSUS_KEPT_NS 2000000000u
#define LAPSUS_KEPT_BYTES ((size_t)8 << 20)
#define LAPSUS_FOLDED "(more than a take may have)"

#ifdef MSG_NOSIGNAL
#define LAPSUS_SEND_FLAGS MSG_NOSIGNAL
#else
#define LAPSUS_SEND_FLAGS 0
#endif

/* ---- bytes: CBOR (RFC 8949), columns as typed arrays (RFC 8746) ---- */

typedef struct {
    uint8_t *data;
    size_t size, room;
    int failed; /* there was no memory */
} lapsus_bytes;

static int lapsus_room(lapsus_bytes *b, size_t more) {
    size_t room = b->room == 0 ? 4096 : b->room;
    uint8_t *data;
    if (b->failed) return 0;
    if (b->size + more <= b->room) return 1;
    while (room < b->size + more) room *= 2;
    data = (uint8_t *)realloc(b->data, room);
    if (data == NULL) {
        b->failed = 1;
        return 0;
    }
    b->data = data;
    b->room = room;
    return 1;
}

static void lapsus_put(lapsus_bytes *b, const void *bytes, size_t count) {
    if (count == 0 || !lapsus_room(b, count)) return;
    memcpy(b->data + b->size, bytes, count);
    b->size += count;
}

static void lapsus_big_endian(lapsus_bytes *b, uint64_t value, int bytes) {
    int i;
    if (!lapsus_room(b, (size_t)bytes)) return;
    for (i = bytes - 1; i >= 0; i--) b->data[b->size++] = (uint8_t)(value >> (8 * i));
}

static void lapsus_head(lapsus_bytes *b, int major, uint64_t value) {
    int size = value < 24 ? 0 : value < 0x100 ? 1 : value < 0x10000 ? 2 : value < 0x100000000ull ? 4 : 8;
    int minor = size == 0 ? (int)value : size == 1 ? 24 : size == 2 ? 25 : size == 4 ? 26 : 27;
    lapsus_big_endian(b, (uint64_t)(major << 5 | minor), 1);
    lapsus_big_endian(b, value, size);
}

static void lapsus_text(lapsus_bytes *b, const char *text) {
    size_t length = strlen(text);
    lapsus_head(b, 3, length);
    lapsus_put(b, text, length);
}

static void lapsus_double(lapsus_bytes *b, double value) {
    uint64_t bits;
    memcpy(&bits, &value, 8);
    lapsus_big_endian(b, 0xfb, 1);
    lapsus_big_endian(b, bits, 8);
}

static void lapsus_said(lapsus_bytes *b, const char *name, const char *text) {
    lapsus_text(b, name);
    lapsus_text(b, text);
}

static void lapsus_count(lapsus_bytes *b, const char *name, uint64_t value) {
    lapsus_text(b, name);
    lapsus_head(b, 0, value);
}

/* The head of a column: tags 64 to 67 are unsigned integers of 8 to 64 bits, 82 is floating point of 64, all big-endian. */
static void lapsus_column(lapsus_bytes *b, const char *name, int tag, size_t bytes, size_t count) {
    lapsus_text(b, name);
    lapsus_head(b, 6, (uint64_t)tag);
    lapsus_head(b, 2, bytes * count);
}

static void lapsus_column64(lapsus_bytes *b, const char *name, const uint64_t *values, size_t count) {
    size_t i;
    lapsus_column(b, name, 67, 8, count);
    for (i = 0; i < count; i++) lapsus_big_endian(b, values[i], 8);
}

static void lapsus_column32(lapsus_bytes *b, const char *name, const uint32_t *values, size_t count) {
    size_t i;
    lapsus_column(b, name, 66, 4, count);
    for (i = 0; i < count; i++) lapsus_big_endian(b, values[i], 4);
}

/* ---- what is kept ---- */

/* How many bytes follow the first of a letter in UTF-8; -1 where there is none. */
static int lapsus_more(const unsigned char *p) {
    int k, more = *p < 0x80 ? 0 : *p >= 0xf0 && *p < 0xf5 ? 3 : *p >= 0xe0 && *p < 0xf0 ? 2 : *p >= 0xc2 && *p < 0xe0 ? 1 : -1;
    for (k = 1; k <= more; k++)
        if ((p[k] & 0xc0) != 0x80) return -1;
    return more;
}

/* A name cut to what may be declared, whole letters of UTF-8; what is none becomes "?". */
static void lapsus_copy_name(char *to, const char *from) {
    size_t i = 0;
    if (from == NULL) from = "";
    while (*from != 0) {
        int k, more = lapsus_more((const unsigned char *)from);
        if (i + 4 > LAPSUS_MOST_NAME) break;
        if (more < 0) {
            to[i++] = '?';
            from++;
            continue;
        }
        for (k = 0; k <= more; k++) to[i++] = *from++;
    }
    to[i] = 0;
}

typedef struct {
    char name[LAPSUS_MOST_NAME + 1], group[LAPSUS_MOST_NAME + 1], tag[LAPSUS_MOST_NAME + 1];
    const char *kind;
    int watch, marker; /* -1 for none */
    int trial;
    const char *file; /* of a marker's place in the code; NULL where that is not known */
    int line;
} lapsus_declared;

typedef struct {
    lapsus_declared *items;
    int count, room, sent, most;
} lapsus_table;

typedef struct {
    size_t count, room;
    uint16_t *marker;
    uint64_t *start, *duration;
    uint8_t *depth, *effect;
    uint32_t *key;
    int has_effect, has_key;
} lapsus_spans;

/* A file of the system: how long a thread has stood ready without running; -1 where it does not tell. */
typedef struct {
    int file;
    uint64_t ns;
} lapsus_ready;

struct lapsus_lane {
    lapsus *probe;
    int number, depth, skipped;
    /* Of other lanes: what the system takes from the thread, asked now and then when a run ends, told with the next frame. */
    lapsus_ready ready;
    pthread_t thread;
    int has_thread, tells, taken;
    uint64_t asked, taken_ns;
    lapsus_spans own, done;     /* done: whole runs, of other lanes; handed over with the next frame */
    uint32_t *count;            /* of the chunk: spans of each frame */
    size_t frames, count_room;
    lapsus_spans chunk;
    size_t open[LAPSUS_MOST_DEPTH + 1];
    lapsus_lane *next;
};

struct lapsus_updater {
    lapsus *probe;
    int of_class, enabled, idle[3];
    double ms;
    lapsus_updater *next;
};

typedef struct {
    uint32_t frame;
    int id;
    double values[6];
} lapsus_sample;

typedef struct {
    lapsus_sample *items;
    size_t count, room;
} lapsus_samples;

typedef struct {
    uint32_t job, lane, marker;
    uint8_t event;
    uint64_t at;
} lapsus_job_row;

typedef struct lapsus_record {
    uint64_t sequence, done_ns;
    uint32_t chain; /* CRC-32 of the chain of the record before, four bytes, and this record */
    int is_chained;
    uint8_t *data;
    size_t size;
    struct lapsus_record *next;
} lapsus_record;

typedef struct {
    FILE *file; /* or else: */
    char *addresses, *take, *key, *writer;
    lapsus_bytes head;
    size_t head_rest;                      /* where in it stands what follows the take's identity */
    lapsus_record *first, *last;           /* what waits */
    lapsus_record *done_first, *done_last; /* what is acknowledged, for a while */
    size_t bytes, most, done_bytes;
    /* The last that is acknowledged, that was sent, and whose chain was the server's. */
    uint64_t acknowledged, sent, equal;
    uint32_t chain, crc[256];
    int told_behind, told_differs;
    int closing, refused, failed, has_thread;
    pthread_t thread;
    pthread_mutex_t lock;
    pthread_cond_t news;
} lapsus_sink;

struct lapsus {
    int on, stop_wished; /* read and written by several threads: by lapsus_is_on and lapsus_turn */
    int paused, has_stretch;
    char stretch_at[32];
    int has_ended;
    lapsus *next_open;
    lapsus_ready ready;
    uint64_t origin, frame_start, sequence, dropped;
    int has_frame;
    void (*on_problem)(void *context, const char *words);
    void *context;
    pthread_mutex_t lock;       /* of everything that other threads may touch */
    lapsus_table markers, gauges, watches, classes, lanes;
    lapsus_lane main, *others;
    lapsus_updater *updaters;
    uint64_t repaired;
    int send;
    /* Of the frame: one row an id, which counts where `set`. */
    double *gauge_now;
    double *watch_looks, *watch_changes, *watch_value;
    double (*lives)[3];
    uint8_t *gauge_set, *watch_known, *lives_set, *class_changed;
    uint32_t steps;
    /* Of the chunk: */
    uint64_t *start, *duration, *taken;
    uint32_t *step_counts;
    size_t frames, frame_room;
    lapsus_samples chunk_gauges, chunk_watches, chunk_lives, chunk_updaters;
    lapsus_bytes moments, pictures;
    size_t moment_count, picture_count;
    uint64_t last_picture;      /* 0 before the first */
    lapsus_job_row *jobs;
    size_t job_count, job_room;
    uint32_t last_job;
    struct { char what[64], about[64]; uint64_t count; } problems[LAPSUS_MOST_PROBLEMS];
    int problem_count;
    struct {
        int gauge, count, frames, now, left, open;
        int round[LAPSUS_MOST_VARIANTS];
        char names[LAPSUS_MOST_VARIANTS][LAPSUS_MOST_NAME + 1];
    } trials[LAPSUS_MOST_TRIALS];
    int trial_count;
    uint64_t random;
    lapsus_sink sink;
};

static int lapsus_is_on(const lapsus *p) {
    return __atomic_load_n(&p->on, __ATOMIC_RELAXED);
}

static void lapsus_turn(lapsus *p, int on) {
    __atomic_store_n(&p->on, on, __ATOMIC_RELAXED);
}

uint64_t lapsus_now_ns(void) {
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000000000ull + (uint64_t)now.tv_nsec;
}

static void lapsus_tell(lapsus *p, const char *words) {
    if (p->on_problem != NULL) p->on_problem(p->context, words);
    else fprintf(stderr, "lapsus: %s\n", words);
}

static void lapsus_no_memory(lapsus *p) {
    if (!lapsus_is_on(p)) return;
    lapsus_turn(p, 0);
    lapsus_tell(p, "the recording ends: there is no memory");
}

static void lapsus_problem(lapsus *p, const char *what, const char *about) {
    int i;
    pthread_mutex_lock(&p->lock);
    for (i = 0; i < p->problem_count; i++)
        if (strcmp(p->problems[i].what, what) == 0 && strcmp(p->problems[i].about, about) == 0) break;
    if (i < LAPSUS_MOST_PROBLEMS) {
        if (i == p->problem_count) {
            p->problem_count++;
            p->problems[i].count = 0;
            snprintf(p->problems[i].what, sizeof p->problems[i].what, "%s", what);
            snprintf(p->problems[i].about, sizeof p->problems[i].about, "%s", about);
        }
        p->problems[i].count++;
    }
    pthread_mutex_unlock(&p->lock);
}

/* Doubles the room of an array until `needed` fit. */
static int lapsus_grow(void **array, size_t *room, size_t needed, size_t size) {
    size_t more = *room == 0 ? 64 : *room;
    void *grown;
    if (needed <= *room) return 1;
    while (more < needed) more *= 2;
    grown = realloc(*array, more * size);
    if (grown == NULL) return 0;
    *array = grown;
    *room = more;
    return 1;
}

static int lapsus_grow_spans(lapsus_spans *s, size_t needed) {
    size_t room, same;
    int good = 1;
    if (needed <= s->room) return 1;
    room = s->room;
    same = room, good &= lapsus_grow((void **)&s->marker, &same, needed, sizeof *s->marker);
    same = room, good &= lapsus_grow((void **)&s->start, &same, needed, sizeof *s->start);
    same = room, good &= lapsus_grow((void **)&s->duration, &same, needed, sizeof *s->duration);
    same = room, good &= lapsus_grow((void **)&s->depth, &same, needed, sizeof *s->depth);
    same = room, good &= lapsus_grow((void **)&s->effect, &same, needed, sizeof *s->effect);
    same = room, good &= lapsus_grow((void **)&s->key, &same, needed, sizeof *s->key);
    if (good) s->room = same;
    return good;
}

static int lapsus_add_spans(lapsus_spans *to, const lapsus_spans *from) {
    size_t at = to->count, n = from->count;
    if (n == 0) return 1;
    if (!lapsus_grow_spans(to, at + n)) return 0;
    memcpy(to->marker + at, from->marker, n * sizeof *to->marker);
    memcpy(to->start + at, from->start, n * sizeof *to->start);
    memcpy(to->duration + at, from->duration, n * sizeof *to->duration);
    memcpy(to->depth + at, from->depth, n * sizeof *to->depth);
    memcpy(to->effect + at, from->effect, n * sizeof *to->effect);
    memcpy(to->key + at, from->key, n * sizeof *to->key);
    to->has_effect |= from->has_effect;
    to->has_key |= from->has_key;
    to->count += n;
    return 1;
}

static void lapsus_clear_spans(lapsus_spans *s) {
    s->count = 0;
    s->has_effect = s->has_key = 0;
}

static void lapsus_free_spans(lapsus_spans *s) {
    free(s->marker);
    free(s->start);
    free(s->duration);
    free(s->depth);
    free(s->effect);
    free(s->key);
}

/* ---- declared once ---- */

/* Other threads may be declaring: what is counted is there. */
static int lapsus_is_one_of(const lapsus_table *t, int id) {
    return id >= 0 && id < __atomic_load_n(&t->count, __ATOMIC_ACQUIRE);
}

/* Under the lock. Returns the number, or -1 without memory. */
static int lapsus_declare(lapsus *p, lapsus_table *t, const char *name, const char *group, const char *kind) {
    char cut[LAPSUS_MOST_NAME + 1], cut_group[LAPSUS_MOST_NAME + 1];
    lapsus_declared *items, *one;
    int i;
    lapsus_copy_name(cut, name);
    lapsus_copy_name(cut_group, group);
    if (cut[0] == 0) strcpy(cut, "(no name)");
    for (i = 0; i < t->count; i++) {
        one = &t->items[i];
        if (strcmp(one->name, cut) == 0 && strcmp(one->group, cut_group) == 0 && strcmp(one->kind, kind) == 0) return i;
    }
    if (t->count >= t->most - 1 && strcmp(cut, LAPSUS_FOLDED) != 0) return lapsus_declare(p, t, LAPSUS_FOLDED, "", "work");
    if (t->count == t->room) {
        int room = t->room == 0 ? 32 : 2 * t->room;
        items = (lapsus_declared *)realloc(t->items, (size_t)room * sizeof *items);
        if (items == NULL) return -1;
        t->items = items;
        t->room = room;
    }
    one = &t->items[t->count];
    memset(one, 0, sizeof *one);
    strcpy(one->name, cut);
    strcpy(one->group, cut_group);
    one->kind = kind;
    one->watch = one->marker = one->trial = -1;
    __atomic_store_n(&t->count, t->count + 1, __ATOMIC_RELEASE);
    return t->count - 1;
}

static int lapsus_declare_locked(lapsus *p, lapsus_table *t, const char *name, const char *group, const char *kind) {
    int id;
    pthread_mutex_lock(&p->lock);
    id = lapsus_declare(p, t, name, group, kind);
    pthread_mutex_unlock(&p->lock);
    if (id < 0) lapsus_no_memory(p);
    return id < 0 ? 0 : id;
}

int lapsus_marker_at(lapsus *p, const char *name, const char *group, const char *kind, const char *file, int line) {
    static const char *const kinds[] = { "work", "wait:refresh", "wait:graphics", "wait:job", "wait:io", "collect" };
    size_t i, found = sizeof kinds / sizeof *kinds;
    int id;
    for (i = 0; i < sizeof kinds / sizeof *kinds; i++)
        if (kind != NULL && strcmp(kind, kinds[i]) == 0) found = i;
    if (found == sizeof kinds / sizeof *kinds) lapsus_problem(p, "kinds of markers are not known", "");
    id = lapsus_declare_locked(p, &p->markers, name, group, kinds[found % (sizeof kinds / sizeof *kinds)]);
    pthread_mutex_lock(&p->lock);
    if (lapsus_is_one_of(&p->markers, id) && id >= p->markers.sent && p->markers.items[id].file == NULL && line > 0) {
        p->markers.items[id].file = file;
        p->markers.items[id].line = line;
    }
    pthread_mutex_unlock(&p->lock);
    return id;
}

void lapsus_tag(lapsus *p, int marker, const char *tag) {
    pthread_mutex_lock(&p->lock);
    if (lapsus_is_one_of(&p->markers, marker) && marker >= p->markers.sent) lapsus_copy_name(p->markers.items[marker].tag, tag);
    pthread_mutex_unlock(&p->lock);
}

void lapsus_looks_at(lapsus *p, int marker, int watch) {
    pthread_mutex_lock(&p->lock);
    if (lapsus_is_one_of(&p->markers, marker) && marker >= p->markers.sent && lapsus_is_one_of(&p->watches, watch))
        p->markers.items[marker].watch = watch;
    pthread_mutex_unlock(&p->lock);
}

int lapsus_gauge_id(lapsus *p, const char *name, const char *unit) {
    int id = lapsus_declare_locked(p, &p->gauges, name, "", "");
    pthread_mutex_lock(&p->lock);
    if (id >= p->gauges.sent && p->gauges.items != NULL) lapsus_copy_name(p->gauges.items[id].tag, unit);
    pthread_mutex_unlock(&p->lock);
    return id;
}

int lapsus_watch_id(lapsus *p, const char *name) {
    return lapsus_declare_locked(p, &p->watches, name, "", "");
}

int lapsus_class_id(lapsus *p, const char *name, int marker) {
    int id = lapsus_declare_locked(p, &p->classes, name, "", "");
    pthread_mutex_lock(&p->lock);
    if (id >= p->classes.sent && p->classes.items != NULL && lapsus_is_one_of(&p->markers, marker))
        p->classes.items[id].marker = marker;
    pthread_mutex_unlock(&p->lock);
    return id;
}

lapsus_lane *lapsus_main(lapsus *p) {
    return &p->main;
}

lapsus_lane *lapsus_new_lane(lapsus *p, const char *name) {
    int number = lapsus_declare_locked(p, &p->lanes, name, "", "");
    lapsus_lane *lane;
    pthread_mutex_lock(&p->lock);
    for (lane = p->others; lane != NULL; lane = lane->next)
        if (lane->number == number) break;
    if (lane == NULL && (lane = (lapsus_lane *)calloc(1, sizeof *lane)) != NULL) {
        lane->probe = p;
        lane->number = number;
        lane->ready.file = lane->taken = -1;
        lane->next = p->others;
        p->others = lane;
    }
    pthread_mutex_unlock(&p->lock);
    return lane == NULL ? &p->main : lane;
}

/* ---- runs ---- */

/* Of the thread that calls: whoever has the file may read it then. */
static void lapsus_ask_ready(lapsus_ready *r) {
#ifdef __linux__
    r->file = open("/proc/thread-self/schedstat", O_RDONLY);
#else
    r->file = -1;
#endif
}

void lapsus_enter_key(lapsus_lane *lane, int marker, uint32_t key) {
    lapsus *p = lane->probe;
    lapsus_spans *s = &lane->own;
    size_t at = s->count;
    if (!lapsus_is_on(p)) return;
    if (lane->depth > LAPSUS_MOST_DEPTH || at >= LAPSUS_MOST_SPANS) {
        lane->skipped++;
        return;
    }
    if (at == s->room && !lapsus_grow_spans(s, at + 1)) {
        lapsus_no_memory(p);
        return;
    }
    if (!lapsus_is_one_of(&p->markers, marker)) {
        lapsus_problem(p, "markers were none", "");
        marker = lapsus_marker_at(p, "(no marker)", "", "work", NULL, 0);
    }
    s->marker[at] = (uint16_t)marker;
    s->depth[at] = (uint8_t)lane->depth;
    s->effect[at] = LAPSUS_UNSAID;
    s->duration[at] = 0;
    s->key[at] = key;
    s->has_key |= key != 0;
    lane->open[lane->depth++] = at;
    s->count = at + 1;
    s->start[at] = lapsus_now_ns();
}

void lapsus_enter(lapsus_lane *lane, int marker) {
    lapsus_enter_key(lane, marker, 0);
}

/* What the system has taken from a thread since the last call, ns; -1 where it does not tell, or no more. */
static int64_t lapsus_taken(lapsus_ready *r) {
    char text[100];
    unsigned long long ran, ready;
    uint64_t before = r->ns;
    ssize_t got = r->file < 0 ? -1 : pread(r->file, text, sizeof text - 1, 0);
    text[got < 0 ? 0 : got] = 0;
    if (sscanf(text, "%llu %llu", &ran, &ready) == 2) {
        r->ns = ready;
        return (int64_t)(ready - before);
    }
    if (r->file >= 0) close(r->file);
    r->file = -1;
    return -1;
}

/* Of the lane's thread, which calls. Under no lock. Returns what has been taken since it was last asked. */
static int64_t lapsus_ask_lane(lapsus_lane *lane, uint64_t now) {
    int is_first = !lane->has_thread;
    int64_t taken;
    if (is_first || !pthread_equal(lane->thread, pthread_self())) {
        if (lane->ready.file >= 0) close(lane->ready.file);
        lapsus_ask_ready(&lane->ready);
        lane->ready.ns = 0;
        lane->thread = pthread_self();
        lane->has_thread = 1;
    } else if (now - lane->asked < LAPSUS_ASK_NS) return -1;
    lane->asked = now;
    taken = lapsus_taken(&lane->ready);
    /* Before its lane there was nothing to be taken from. */
    return is_first && taken > 0 ? 0 : taken;
}

static void lapsus_repair(lapsus *p) {
    pthread_mutex_lock(&p->lock);
    p->repaired++;
    pthread_mutex_unlock(&p->lock);
}

void lapsus_leave(lapsus_lane *lane, int effect) {
    uint64_t now = lapsus_now_ns();
    lapsus *p = lane->probe;
    int64_t taken;
    size_t at;
    if (!lapsus_is_on(p)) return;
    if (lane->skipped > 0) {
        lane->skipped--;
        return;
    }
    if (lane->depth == 0) {
        lapsus_repair(p);
        return;
    }
    at = lane->open[--lane->depth];
    lane->own.duration[at] = now - lane->own.start[at];
    if (effect == LAPSUS_CHANGED || effect == LAPSUS_UNCHANGED) {
        lane->own.effect[at] = (uint8_t)effect;
        lane->own.has_effect = 1;
    }
    if (lane->depth > 0 || lane->number == 0) return;
    taken = lapsus_ask_lane(lane, now);
    pthread_mutex_lock(&p->lock);
    if (taken >= 0) {
        lane->tells = 1;
        lane->taken_ns += (uint64_t)taken;
    }
    if (lane->done.count < 4 * LAPSUS_MOST_SPANS) lapsus_add_spans(&lane->done, &lane->own);
    pthread_mutex_unlock(&p->lock);
    lapsus_clear_spans(&lane->own);
}

/* ---- said in a frame ---- */

void lapsus_gauge(lapsus *p, int gauge, double value) {
    if (!lapsus_is_on(p)) return;
    if (!lapsus_is_one_of(&p->gauges, gauge) || !isfinite(value)) {
        char about[32];
        snprintf(about, sizeof about, "gauge %d", gauge);
        lapsus_problem(p, "values were not numbers", about);
        return;
    }
    p->gauge_now[gauge] = value;
    p->gauge_set[gauge] = 1;
}

void lapsus_moment(lapsus *p, const char *name, const lapsus_datum *data, size_t count) {
    char cut[LAPSUS_MOST_NAME + 1];
    size_t i, good = 0, bytes = 0;
    if (!lapsus_is_on(p) || p->moment_count >= LAPSUS_MOST_MOMENTS) return;
    lapsus_copy_name(cut, name);
    if (cut[0] == 0) strcpy(cut, "(no name)");
    for (i = 0; data != NULL && i < count && bytes < LAPSUS_MOST_DATA; i++) {
        if (data[i].name == NULL || (data[i].text == NULL && !isfinite(data[i].number))) continue;
        good++;
        bytes += 2 * LAPSUS_MOST_NAME;
    }
    if (good < count) lapsus_problem(p, "data of moments were left out", "");
    lapsus_head(&p->moments, 5, good > 0 ? 3 : 2);
    lapsus_said(&p->moments, "name", cut);
    lapsus_count(&p->moments, "at", lapsus_now_ns() - p->origin);
    if (good > 0) {
        lapsus_text(&p->moments, "data");
        lapsus_head(&p->moments, 5, good);
    }
    for (i = 0; good > 0; i++) {
        if (data[i].name == NULL || (data[i].text == NULL && !isfinite(data[i].number))) continue;
        good--;
        lapsus_copy_name(cut, data[i].name);
        lapsus_text(&p->moments, cut);
        lapsus_copy_name(cut, data[i].text);
        if (data[i].text != NULL) lapsus_text(&p->moments, cut);
        else lapsus_double(&p->moments, data[i].number);
    }
    p->moment_count++;
}

static uint32_t lapsus_read_big(const uint8_t *bytes, int count) {
    uint32_t value = 0;
    while (count-- > 0) value = value << 8 | *bytes++;
    return value;
}

static uint32_t lapsus_read_little(const uint8_t *bytes, int count) {
    uint32_t value = 0;
    while (count-- > 0) value = value << 8 | bytes[count];
    return value;
}

/* Pixels a line of a PNG, JPEG or WebP; 0 of what is none. */
static uint32_t lapsus_picture_width(const uint8_t *b, size_t size) {
    size_t at;
    if (size >= 24 && memcmp(b, "\x89PNG\r\n\x1a\n", 8) == 0 && memcmp(b + 12, "IHDR", 4) == 0)
        return lapsus_read_big(b + 16, 4);
    if (size >= 25 && memcmp(b, "RIFF", 4) == 0 && memcmp(b + 8, "WEBP", 4) == 0) {
        if (memcmp(b + 12, "VP8L", 4) == 0) return (lapsus_read_little(b + 21, 2) & 0x3fff) + 1;
        if (size < 30) return 0;
        if (memcmp(b + 12, "VP8 ", 4) == 0) return lapsus_read_little(b + 26, 2) & 0x3fff;
        return memcmp(b + 12, "VP8X", 4) == 0 ? lapsus_read_little(b + 24, 3) + 1 : 0;
    }
    if (size < 2 || b[0] != 0xff || b[1] != 0xd8) return 0;
    /* Segments until the one that begins the picture; behind DA and D9 there is none. */
    for (at = 2; at + 9 <= size && b[at] == 0xff && b[at + 1] != 0xda && b[at + 1] != 0xd9;) {
        int kind = b[at + 1];
        if (kind >= 0xc0 && kind <= 0xcf && kind != 0xc4 && kind != 0xc8 && kind != 0xcc)
            return lapsus_read_big(b + at + 7, 2);
        at += 2 + lapsus_read_big(b + at + 2, 2);
    }
    return 0;
}

void lapsus_picture(lapsus *p, const void *bytes, size_t size) {
    uint64_t now = lapsus_now_ns();
    uint32_t width;
    if (!lapsus_is_on(p) || !p->has_frame || (p->last_picture != 0 && now - p->last_picture < LAPSUS_PICTURE_NS)) return;
    p->last_picture = now;
    width = bytes == NULL || size > LAPSUS_PICTURE_BYTES ? 0 : lapsus_picture_width((const uint8_t *)bytes, size);
    if (width == 0 || width > LAPSUS_PICTURE_WIDTH) {
        lapsus_problem(p, "pictures could not be made, or were too large", "");
        return;
    }
    if (p->picture_count >= LAPSUS_MOST_PICTURES) return;
    lapsus_head(&p->pictures, 5, 2);
    lapsus_count(&p->pictures, "at", now - p->origin);
    lapsus_column(&p->pictures, "bytes", 64, 1, size);
    lapsus_put(&p->pictures, bytes, size);
    p->picture_count++;
}

void lapsus_steps(lapsus *p, uint32_t steps) {
    p->steps = steps;
}

void lapsus_watch(lapsus *p, int watch, double value) {
    if (!lapsus_is_on(p)) return;
    if (!lapsus_is_one_of(&p->watches, watch)) {
        lapsus_problem(p, "watched values are none", "");
        return;
    }
    p->watch_looks[watch]++;
    if (p->watch_known[watch] && p->watch_value[watch] != value) p->watch_changes[watch]++;
    p->watch_known[watch] = 1;
    p->watch_value[watch] = value;
}

static double *lapsus_lives_of(lapsus *p, int of_class) {
    if (!lapsus_is_on(p)) return NULL;
    if (!lapsus_is_one_of(&p->classes, of_class)) {
        lapsus_problem(p, "lives are of no class", "");
        return NULL;
    }
    p->lives_set[of_class] = 1;
    return p->lives[of_class];
}

void lapsus_born(lapsus *p, int of_class, double bytes) {
    double *lives = lapsus_lives_of(p, of_class);
    if (lives == NULL) return;
    lives[0]++;
    if (isfinite(bytes) && bytes > 0) lives[2] += bytes;
}

void lapsus_died(lapsus *p, int of_class) {
    double *lives = lapsus_lives_of(p, of_class);
    if (lives != NULL) lives[1]++;
}

lapsus_updater *lapsus_new_updater(lapsus *p, int of_class, double every_ms) {
    lapsus_updater *u = (lapsus_updater *)calloc(1, sizeof *u);
    if (u == NULL) return NULL;
    if (!lapsus_is_one_of(&p->classes, of_class)) {
        lapsus_problem(p, "updaters are of no class", "");
        of_class = lapsus_class_id(p, "(no class)", -1);
    }
    u->probe = p;
    u->of_class = of_class;
    u->enabled = 1;
    u->next = p->updaters;
    p->updaters = u;
    lapsus_every(u, every_ms);
    return u;
}

void lapsus_enable(lapsus_updater *u, int enabled) {
    if (u == NULL) return;
    u->enabled = enabled != 0;
    u->probe->class_changed[u->of_class] = 1;
}

void lapsus_every(lapsus_updater *u, double ms) {
    if (u == NULL) return;
    u->ms = isfinite(ms) && ms > 0 ? ms : 0;
    u->probe->class_changed[u->of_class] = 1;
}

void lapsus_idle(lapsus_updater *u, int why, int is_idle) {
    if (u == NULL) return;
    if (why < LAPSUS_UNSEEN || why > LAPSUS_ASLEEP) {
        lapsus_problem(u->probe, "reasons to be idle were none", "");
        return;
    }
    u->idle[why] = is_idle != 0;
    u->probe->class_changed[u->of_class] = 1;
}

void lapsus_dispose(lapsus_updater *u) {
    lapsus_updater **at;
    if (u == NULL) return;
    u->probe->class_changed[u->of_class] = 1;
    for (at = &u->probe->updaters; *at != NULL; at = &(*at)->next) {
        if (*at != u) continue;
        *at = u->next;
        free(u);
        return;
    }
}

int lapsus_trial(lapsus *p, const char *name, const char *const *variants, int count, int frames) {
    int t = p->trial_count, i, j, kept = 0;
    if (t == LAPSUS_MOST_TRIALS) return -1;
    for (i = 0; variants != NULL && i < count && kept < LAPSUS_MOST_VARIANTS; i++) {
        char *cut = p->trials[t].names[kept];
        lapsus_copy_name(cut, variants[i]);
        for (j = 0; j < kept; j++)
            if (strcmp(p->trials[t].names[j], cut) == 0) break;
        if (cut[0] != 0 && j == kept) kept++;
    }
    if (kept < 2) {
        lapsus_problem(p, "trials have fewer than two variants", "");
        return -1;
    }
    p->trials[t].count = kept;
    p->trials[t].frames = frames > 0 ? frames : 60;
    p->trials[t].gauge = lapsus_gauge_id(p, name, "");
    if (p->gauges.items != NULL) p->gauges.items[p->trials[t].gauge].trial = t;
    p->trial_count++;
    return t;
}

int lapsus_variant(const lapsus *p, int trial) {
    return trial >= 0 && trial < p->trial_count ? p->trials[trial].now : 0;
}

/* Each block another variant, every one once in a round, rounds in random order (xorshift). */
static void lapsus_turn_trials(lapsus *p) {
    int t, i;
    for (t = 0; t < p->trial_count; t++) {
        if (p->trials[t].left == 0) {
            if (p->trials[t].open == 0) {
                for (i = 0; i < p->trials[t].count; i++) p->trials[t].round[i] = i;
                p->trials[t].open = p->trials[t].count;
            }
            p->random ^= p->random << 13;
            p->random ^= p->random >> 7;
            p->random ^= p->random << 17;
            i = (int)(p->random % (uint64_t)p->trials[t].open);
            p->trials[t].now = p->trials[t].round[i];
            p->trials[t].round[i] = p->trials[t].round[--p->trials[t].open];
            p->trials[t].left = p->trials[t].frames;
        }
        p->trials[t].left--;
        lapsus_gauge(p, p->trials[t].gauge, p->trials[t].now);
    }
}

static void lapsus_job_event(lapsus *p, uint32_t job, int event, int lane, int marker) {
    uint64_t at = lapsus_now_ns() - p->origin;
    lapsus_job_row *row;
    if (!lapsus_is_on(p) || job == 0 || !lapsus_is_one_of(&p->markers, marker)) return;
    pthread_mutex_lock(&p->lock);
    if (p->job_count < LAPSUS_MOST_JOB_EVENTS &&
        lapsus_grow((void **)&p->jobs, &p->job_room, p->job_count + 1, sizeof *p->jobs)) {
        row = &p->jobs[p->job_count++];
        row->job = job;
        row->event = (uint8_t)event;
        row->lane = (uint32_t)lane;
        row->marker = (uint32_t)marker;
        row->at = at;
    }
    pthread_mutex_unlock(&p->lock);
}

uint32_t lapsus_dispatch(lapsus *p, int marker) {
    uint32_t job;
    if (!lapsus_is_on(p)) return 0;
    pthread_mutex_lock(&p->lock);
    job = ++p->last_job;
    pthread_mutex_unlock(&p->lock);
    lapsus_job_event(p, job, 0, 0, marker);
    return job;
}

void lapsus_begin_job(lapsus_lane *lane, uint32_t job, int marker) {
    lapsus_job_event(lane->probe, job, 1, lane->number, marker);
    lapsus_enter(lane, marker);
}

void lapsus_end_job(lapsus_lane *lane, uint32_t job, int marker) {
    lapsus_leave(lane, LAPSUS_UNSAID);
    lapsus_job_event(lane->probe, job, 2, lane->number, marker);
}

/* ---- where records go ---- */

/* 16 letters that no other recording has. */
static void lapsus_identity(char to[33]) {
    uint64_t random = lapsus_now_ns() ^ ((uint64_t)getpid() << 32) ^ (uint64_t)time(NULL);
    FILE *file = fopen("/dev/urandom", "rb");
    int i;
    for (i = 0; i < 2; i++) {
        if (file == NULL || fread(&random, sizeof random, 1, file) != 1) random = random * 6364136223846793005ull + 1;
        snprintf(to + 16 * i, 17, "%016llx", (unsigned long long)random);
    }
    if (file != NULL) fclose(file);
}

static void lapsus_sink_put(lapsus *p, uint64_t sequence, lapsus_bytes *record) {
    lapsus_sink *k = &p->sink;
    lapsus_record *one;
    if (record->failed) {
        free(record->data);
        lapsus_no_memory(p);
        return;
    }
    if (k->file != NULL) {
        if (fwrite(record->data, 1, record->size, k->file) != record->size && !k->failed) {
            k->failed = 1;
            lapsus_turn(p, 0);
            lapsus_tell(p, "the recording ends: the file cannot be written");
        }
        free(record->data);
        return;
    }
    one = (lapsus_record *)malloc(sizeof *one);
    pthread_mutex_lock(&k->lock);
    if (one == NULL || k->refused) {
        free(one);
        free(record->data);
    } else {
        memset(one, 0, sizeof *one);
        one->sequence = sequence;
        one->data = record->data;
        one->size = record->size;
        if (k->last != NULL) k->last->next = one;
        else k->first = one;
        k->last = one;
        k->bytes += one->size;
        pthread_cond_signal(&k->news);
    }
    pthread_mutex_unlock(&k->lock);
}

static void lapsus_free_records(lapsus_record *one) {
    while (one != NULL) {
        lapsus_record *next = one->next;
        free(one->data);
        free(one);
        one = next;
    }
}

/* Nothing waits any more. */
static void lapsus_forget_all(lapsus_sink *k) {
    lapsus_free_records(k->first);
    k->first = k->last = NULL;
    k->bytes = 0;
}

static void lapsus_forget_done(lapsus_sink *k) {
    lapsus_free_records(k->done_first);
    k->done_first = k->done_last = NULL;
    k->done_bytes = 0;
}

static uint32_t lapsus_crc(const lapsus_sink *k, const uint8_t *data, size_t size, uint32_t before) {
    uint32_t crc = ~before;
    size_t i;
    for (i = 0; i < size; i++) crc = crc >> 8 ^ k->crc[(crc ^ data[i]) & 0xff];
    return ~crc;
}

static void lapsus_crc_table(lapsus_sink *k) {
    uint32_t i, bit, crc;
    for (i = 0; i < 256; i++) {
        for (crc = i, bit = 0; bit < 8; bit++) crc = crc & 1 ? crc >> 1 ^ 0xedb88320u : crc >> 1;
        k->crc[i] = crc;
    }
}

static void lapsus_chain(lapsus_sink *k, lapsus_record *one) {
    uint8_t head[4];
    int i;
    for (i = 0; i < 4; i++) head[i] = (uint8_t)(k->chain >> (24 - 8 * i));
    one->chain = k->chain = lapsus_crc(k, one->data, one->size, lapsus_crc(k, head, 4, 0));
    one->is_chained = 1;
}

/* How long what stands before the host is: the address of a stream is that of its Lapsus. */
static size_t lapsus_scheme(const char *address) {
    return strncmp(address, "http://", 7) == 0 ? 7 : strncmp(address, "ws://", 5) == 0 ? 5 : 0;
}

/* Host and port of the address at a place; returns how many addresses there are. */
static int lapsus_address(const char *addresses, int at, char host[256], char port[16]) {
    const char *from = addresses;
    int count = 0;
    host[0] = 0;
    while (from != NULL) {
        const char *end = strchr(from, ','), *own = from + lapsus_scheme(from);
        size_t length = end == NULL ? strlen(own) : (size_t)(end - own);
        if (count++ == at && length < 255) {
            char *colon;
            memcpy(host, own, length);
            host[length] = 0;
            host[strcspn(host, "/")] = 0;
            colon = strrchr(host, ':');
            snprintf(port, 16, "%s", colon == NULL ? "80" : colon + 1);
            if (colon != NULL) *colon = 0;
        }
        from = end == NULL ? NULL : end + 1;
    }
    return count;
}

static int lapsus_send_all(int socket_, const void *data, size_t size) {
    const char *at = (const char *)data;
    while (size > 0) {
        ssize_t sent = send(socket_, at, size, LAPSUS_SEND_FLAGS);
        if (sent <= 0) return 0;
        at += sent;
        size -= (size_t)sent;
    }
    return 1;
}

static int lapsus_connect(const char *host, const char *port, char *why, size_t size) {
    struct addrinfo hints, *found, *one;
    struct timeval patience;
    int socket_ = -1;
    memset(&hints, 0, sizeof hints);
    hints.ai_socktype = SOCK_STREAM;
    if (getaddrinfo(host, port, &hints, &found) != 0) {
        snprintf(why, size, "the name is not known");
        return -1;
    }
    for (one = found; one != NULL && socket_ < 0; one = one->ai_next) {
        socket_ = socket(one->ai_family, one->ai_socktype, one->ai_protocol);
        if (socket_ < 0) continue;
        patience.tv_sec = 10;
        patience.tv_usec = 0;
        setsockopt(socket_, SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
        setsockopt(socket_, SOL_SOCKET, SO_SNDTIMEO, &patience, sizeof patience);
        if (connect(socket_, one->ai_addr, one->ai_addrlen) == 0) continue;
        snprintf(why, size, "%s", strerror(errno));
        close(socket_);
        socket_ = -1;
    }
    freeaddrinfo(found);
    return socket_;
}

/* Sends one body; the status of the answer, which is put into `answer`, or 0 with why not in `why`. */
static int lapsus_post(lapsus_sink *k, const char *host, const char *port, const lapsus_bytes *body, char *answer, size_t room,
                       char *why, size_t why_size) {
    char head[1024];
    size_t got = 0;
    int status = 0, length, socket_ = lapsus_connect(host, port, why, why_size);
    if (socket_ < 0) return 0;
    length = snprintf(head, sizeof head,
                      "POST /ingest/%s HTTP/1.1\r\nHost: %s:%s\r\nContent-Type: application/cbor-seq\r\n"
                      "Content-Length: %lu\r\nConnection: close\r\n%s%.400s%s\r\n",
                      k->take, host, port, (unsigned long)body->size, k->key == NULL ? "" : "Authorization: Bearer ",
                      k->key == NULL ? "" : k->key, k->key == NULL ? "" : "\r\n");
    snprintf(why, why_size, "the connection broke");
    if (lapsus_send_all(socket_, head, (size_t)length) && lapsus_send_all(socket_, body->data, body->size)) {
        while (got + 1 < room) {
            ssize_t more = recv(socket_, answer + got, room - 1 - got, 0);
            if (more <= 0) break;
            got += (size_t)more;
        }
        answer[got] = 0;
        if (sscanf(answer, "HTTP/1.%*d %d", &status) != 1) status = 0;
    }
    close(socket_);
    return status;
}

/* The text of a JSON field, up to its closing quote; empty without one. */
static void lapsus_field(const char *answer, const char *field, char *to, size_t size) {
    const char *at = strstr(answer, field);
    size_t i = 0;
    if (at != NULL)
        for (at += strlen(field); *at != 0 && *at != '"' && i + 1 < size; at++) to[i++] = *at;
    to[i] = 0;
}

/* What becomes of what is not acknowledged: docs/format.md, "Answers". */
enum { LAPSUS_DROP, LAPSUS_SET_ASIDE, LAPSUS_KEEP };

static int lapsus_spool(lapsus_sink *k, char path[600], const char *ending);
static void lapsus_put_all_declared(lapsus *p, lapsus_bytes *b, uint64_t sequence);

/* Nothing more is recorded. Under the sink's lock. */
static void lapsus_end(lapsus *p, int what, const char *why) {
    lapsus_sink *k = &p->sink;
    char path[600], words[1200];
    int is_kept = what != LAPSUS_DROP && k->first != NULL && lapsus_spool(k, path, what == LAPSUS_SET_ASIDE ? ".refused" : "");
    k->refused = k->failed = 1;
    lapsus_turn(p, 0);
    lapsus_forget_all(k);
    snprintf(words, sizeof words, "the recording ends: %s%s%s", why, is_kept ? "; what is left is kept in " : "",
             is_kept ? path : "");
    lapsus_tell(p, words);
}

/* Goes on in a new take, which begins with all that was declared. Under the sink's lock. */
static void lapsus_go_on_anew(lapsus *p) {
    lapsus_sink *k = &p->sink;
    uint64_t first = k->first != NULL ? k->first->sequence : k->sent + 1;
    lapsus_bytes head = { NULL, 0, 0, 0 }, declare = { NULL, 0, 0, 0 };
    lapsus_record *one = (lapsus_record *)calloc(1, sizeof *one);
    char identity[33], words[300], *take = (char *)malloc(72);
    pthread_mutex_unlock(&k->lock);
    lapsus_put_all_declared(p, &declare, first - 1);
    pthread_mutex_lock(&k->lock);
    if (one == NULL || take == NULL || declare.failed) {
        free(one), free(take), free(declare.data);
        lapsus_no_memory(p);
        return;
    }
    lapsus_identity(identity);
    snprintf(take, 72, "%.50s-%.8s", k->take, identity);
    lapsus_head(&head, 6, 55799);
    lapsus_head(&head, 5, 10);
    lapsus_said(&head, "record", "take");
    lapsus_count(&head, "lapsus", 1);
    lapsus_said(&head, "continues", k->take);
    lapsus_count(&head, "after", first - 2);
    lapsus_said(&head, "take", take);
    {
        size_t rest = head.size;
        lapsus_put(&head, k->head.data + k->head_rest, k->head.size - k->head_rest);
        k->head_rest = rest;
    }
    free(k->head.data), free(k->take);
    k->head = head;
    k->take = take;
    one->sequence = first - 1;
    one->data = declare.data;
    one->size = declare.size;
    one->next = k->first;
    k->first = one;
    if (k->last == NULL) k->last = one;
    k->bytes += one->size;
    k->acknowledged = k->equal = first - 2;
    k->chain = 0;
    for (one = k->first; one != NULL; one = one->next) one->is_chained = 0;
    snprintf(words, sizeof words, "the server has less than it had acknowledged: the recording goes on as take %s", k->take);
    if (!k->told_behind) lapsus_tell(p, words);
    k->told_behind = 1;
}

/* Sends again from the record after `ack`, as far as it is there; else goes on in a new take. Under the sink's lock. */
static void lapsus_go_back(lapsus *p, uint64_t ack, int anew) {
    lapsus_sink *k = &p->sink;
    lapsus_record *one;
    while (k->done_first != NULL && k->done_first->sequence <= ack) {
        one = k->done_first;
        k->done_first = one->next;
        free(one->data);
        free(one);
    }
    if (k->done_first == NULL || k->done_first->sequence != ack + 1) anew = 1;
    if (k->done_first != NULL) {
        for (one = k->done_first; one != NULL; one = one->next) k->bytes += one->size;
        k->done_last->next = k->first;
        if (k->last == NULL) k->last = k->done_last;
        k->first = k->done_first;
    }
    k->done_first = k->done_last = NULL;
    k->done_bytes = 0;
    k->acknowledged = ack;
    if (anew) lapsus_go_on_anew(p);
}

/* What is acknowledged. Under the sink's lock. Returns 0, 1 where it is sent again, 2 for what was never sent. */
static int lapsus_heard(lapsus *p, uint64_t ack, int has_chain, uint32_t chain) {
    lapsus_sink *k = &p->sink;
    lapsus_record *one;
    uint64_t now = lapsus_now_ns();
    if (ack > k->sent) return 2;
    if (ack < k->acknowledged) {
        lapsus_go_back(p, ack, 0);
        return 1;
    }
    while (k->first != NULL && k->first->sequence <= ack) {
        one = k->first;
        k->first = one->next;
        if (k->first == NULL) k->last = NULL;
        k->bytes -= one->size;
        one->next = NULL;
        one->done_ns = now;
        if (k->done_last != NULL) k->done_last->next = one;
        else k->done_first = one;
        k->done_last = one;
        k->done_bytes += one->size;
    }
    k->acknowledged = ack;
    if (has_chain && k->done_last != NULL && k->done_last->sequence == ack && k->done_last->is_chained) {
        if (k->done_last->chain != chain) {
            if (!k->told_differs)
                lapsus_tell(p, "what has arrived is not what was sent; it is sent again, as a take that goes on with this one");
            k->told_differs = 1;
            lapsus_go_back(p, k->equal, 1);
            return 1;
        }
        k->equal = ack;
    }
    while (k->done_first != NULL && (now - k->done_first->done_ns > LAPSUS_KEPT_NS || k->done_bytes > LAPSUS_KEPT_BYTES)) {
        one = k->done_first;
        k->done_first = one->next;
        if (k->done_first == NULL) k->done_last = NULL;
        k->done_bytes -= one->size;
        free(one->data);
        free(one);
    }
    return 0;
}

static int lapsus_number(const char *answer, const char *field, unsigned long long *value) {
    const char *at = strstr(answer, field);
    return at != NULL && sscanf(at + strlen(field), "%llu", value) == 1;
}

static int lapsus_is_broken(const char *code) {
    static const char *const codes[] = { "not-a-take", "other-version", "not-cbor", "too-large", "bad-field", "after-end" };
    size_t i;
    for (i = 0; i < sizeof codes / sizeof *codes; i++)
        if (strcmp(code, codes[i]) == 0) return 1;
    return 0;
}

/* What the thread does until all is delivered, or of no use. */
static void *lapsus_deliver(void *argument) {
    lapsus *p = (lapsus *)argument;
    lapsus_sink *k = &p->sink;
    int at = 0, told = 0, pause_ms = 0;
    char host[256], port[16] = "", why[200], code[40], words[700], answer[4096];
    pthread_mutex_lock(&k->lock);
    while (!k->refused && (k->first != NULL || !k->closing)) {
        lapsus_bytes body = { NULL, 0, 0, 0 };
        lapsus_record *one;
        int status, addresses, has_ack, has_chain, heard;
        unsigned long long ack = 0, chain = 0;
        if (k->first == NULL) {
            pthread_cond_wait(&k->news, &k->lock);
            continue;
        }
        if (pause_ms > 0) {
            struct timespec until;
            clock_gettime(CLOCK_REALTIME, &until);
            until.tv_sec += pause_ms / 1000;
            until.tv_nsec += pause_ms % 1000 * 1000000l;
            until.tv_sec += until.tv_nsec / 1000000000l;
            until.tv_nsec %= 1000000000l;
            pthread_cond_timedwait(&k->news, &k->lock, &until);
            if (k->first == NULL || k->refused) continue;
        }
        lapsus_put(&body, k->head.data, k->head.size);
        for (one = k->first; one != NULL && body.size < LAPSUS_BODY_BYTES; one = one->next) {
            if (!one->is_chained) lapsus_chain(k, one);
            if (one->sequence > k->sent) k->sent = one->sequence;
            lapsus_put(&body, one->data, one->size);
        }
        pthread_mutex_unlock(&k->lock);
        addresses = lapsus_address(k->addresses, at, host, port);
        answer[0] = 0;
        status = body.failed ? 0 : lapsus_post(k, host, port, &body, answer, sizeof answer, why, sizeof why);
        free(body.data);
        has_ack = lapsus_number(answer, "\"ack\":", &ack);
        has_chain = lapsus_number(answer, "\"chain\":", &chain);
        lapsus_field(answer, "\"code\":\"", code, sizeof code);
        if (status != 0) {
            lapsus_field(answer, "\"detail\":\"", why, sizeof why);
            if (status == 409 && code[0] == 0) snprintf(why, sizeof why, "it is busy with this take");
            else if (why[0] == 0) snprintf(why, sizeof why, "status %d", status);
        }
        pthread_mutex_lock(&k->lock);
        if (k->refused) break;
        if (status == 410 || strcmp(code, "discarded") == 0) {
            lapsus_end(p, LAPSUS_DROP, why);
            break;
        }
        if (status == 401 || strcmp(code, "wrong-key") == 0) {
            lapsus_end(p, LAPSUS_KEEP, why);
            break;
        }
        heard = has_ack ? lapsus_heard(p, ack, has_chain, (uint32_t)chain) : 0;
        if (heard == 2) {
            lapsus_end(p, LAPSUS_KEEP, "there is another recording under the same identity");
            break;
        }
        if (heard == 1) {
            pause_ms = k->closing || pause_ms == 0 ? 250 : pause_ms < 2500 ? 2 * pause_ms : 5000;
            continue;
        }
        if (status == 200 && has_ack) {
            told = pause_ms = 0;
            if (strstr(answer, "\"order\":\"stop\"") != NULL) __atomic_store_n(&p->stop_wished, 1, __ATOMIC_RELAXED);
            continue;
        }
        if (lapsus_is_broken(code)) {
            lapsus_end(p, LAPSUS_SET_ASIDE, why);
            break;
        }
        if (!told) {
            snprintf(words, sizeof words, "http://%s:%s does not take what is recorded: %s; records are kept", host, port, why);
            lapsus_tell(p, words);
        }
        told = 1;
        at = (at + 1) % addresses;
        /* At the end there is little time. */
        pause_ms = k->closing || pause_ms == 0 ? 250 : pause_ms < 2500 ? 2 * pause_ms : 5000;
    }
    k->closing = 2;
    pthread_cond_signal(&k->news);
    pthread_mutex_unlock(&k->lock);
    return NULL;
}

static int lapsus_is_address(const char *to) {
    const char *colon = strrchr(to, ':');
    size_t i;
    if (lapsus_scheme(to) > 0) return 1;
    if (colon == NULL || colon < to + 2 || colon[1] == 0 || strchr(to, '/') != NULL || strchr(to, '\\') != NULL) return 0;
    for (i = 1; colon[i] != 0; i++)
        if (colon[i] < '0' || colon[i] > '9') return 0;
    return 1;
}

/* For nobody else to read. */
static FILE *lapsus_own_file(const char *path) {
    int file = open(path, O_WRONLY | O_CREAT | O_TRUNC, 0600);
    return file < 0 ? NULL : fdopen(file, "wb");
}

/* Leaves records where Lapsus finds them: docs/format.md, "Spool files". */
static int lapsus_spool(lapsus_sink *k, char path[600], const char *ending) {
    const char *own = getenv("LAPSUS_SPOOL"), *state = getenv("XDG_STATE_HOME"), *home = getenv("HOME");
    char host[256], port[16] = "80", begun[620], *slash;
    const lapsus_record *one;
    FILE *file;
    int good;
    if (own != NULL && own[0] != 0) snprintf(path, 600, "%.300s", own);
    else if (state != NULL && state[0] != 0) snprintf(path, 600, "%.280s/lapsus/spool", state);
    else snprintf(path, 600, "%.280s/.local/state/lapsus/spool", home == NULL ? "." : home);
    for (slash = strchr(path + 1, '/'); slash != NULL; slash = strchr(slash + 1, '/')) {
        *slash = 0;
        mkdir(path, 0700);
        *slash = '/';
    }
    mkdir(path, 0700);
    lapsus_address(k->addresses, 0, host, port);
    snprintf(path + strlen(path), 600 - strlen(path), "/%.80s_%s~%.64s~%.64s~%llu.spool", host, port, k->take, k->writer,
             (unsigned long long)k->first->sequence);
    /* What it was to be let in with: whoever takes it up shows it again. */
    snprintf(begun, sizeof begun, "%s.key", path);
    if (k->key != NULL && k->key[0] != 0 && (file = lapsus_own_file(begun)) != NULL) {
        fwrite(k->key, 1, strlen(k->key), file);
        fclose(file);
    }
    snprintf(begun, sizeof begun, "%s.new", path);
    file = lapsus_own_file(begun);
    if (file == NULL) return 0;
    good = fwrite(k->head.data, 1, k->head.size, file) == k->head.size;
    for (one = k->first; one != NULL && good; one = one->next) good = fwrite(one->data, 1, one->size, file) == one->size;
    /* Whole under its name, or not there at all. */
    strncat(path, ending, 599 - strlen(path));
    return fclose(file) == 0 && good && rename(begun, path) == 0;
}

static int lapsus_sink_close(lapsus *p) {
    lapsus_sink *k = &p->sink;
    int good;
    if (k->file != NULL) {
        good = fclose(k->file) == 0 && !k->failed;
        k->file = NULL;
        return good;
    }
    if (!k->has_thread) return 0;
    pthread_mutex_lock(&k->lock);
    if (k->closing == 0) {
        struct timespec until;
        k->closing = 1;
        clock_gettime(CLOCK_REALTIME, &until);
        until.tv_sec += LAPSUS_PATIENCE_S;
        pthread_cond_signal(&k->news);
        while (k->closing != 2 && pthread_cond_timedwait(&k->news, &k->lock, &until) == 0) continue;
    }
    good = k->first == NULL && !k->failed;
    if (k->first != NULL) {
        char path[600], words[800];
        const lapsus_record *one;
        int count = 0, is_kept = lapsus_spool(k, path, "");
        for (one = k->first; one != NULL; one = one->next) count++;
        snprintf(words, sizeof words, "%d records are not delivered; they are %s%s", count, is_kept ? "kept in " : "lost",
                 is_kept ? path : "");
        lapsus_tell(p, words);
    }
    k->refused = 1;
    pthread_cond_signal(&k->news);
    pthread_mutex_unlock(&k->lock);
    return good;
}

/* ---- records ---- */

/* Without a "./" in front. */
static const char *lapsus_from_here(const char *file) {
    return strncmp(file, "./", 2) == 0 ? file + 2 : file;
}

/* Whether it is a name that a take can hold: UTF-8, and not too long. */
static int lapsus_is_file(const char *file) {
    size_t length = file == NULL ? 0 : strlen(lapsus_from_here(file));
    const unsigned char *p = (const unsigned char *)file;
    if (length == 0 || length > LAPSUS_MOST_FILE) return 0;
    while (*p != 0) {
        int more = lapsus_more(p);
        if (more < 0) return 0;
        p += 1 + more;
    }
    return 1;
}

static void lapsus_put_declared(lapsus *p, lapsus_bytes *b, const char *name, const lapsus_table *t, int from) {
    int i, j;
    if (t->count == from) return;
    lapsus_text(b, name);
    lapsus_head(b, 4, (uint64_t)(t->count - from));
    for (i = from; i < t->count; i++) {
        const lapsus_declared *one = &t->items[i];
        int is_marker = t == &p->markers, has_unit = t == &p->gauges && one->tag[0] != 0;
        int has_tag = is_marker && one->tag[0] != 0, has_watch = is_marker && one->watch >= 0;
        int has_place = is_marker && lapsus_is_file(one->file);
        lapsus_head(b, 5, (uint64_t)(2 + 2 * is_marker + has_tag + has_watch + has_place + has_unit + (one->marker >= 0) + (one->trial >= 0)));
        lapsus_count(b, "id", (uint64_t)i);
        lapsus_said(b, "name", one->name);
        if (is_marker) lapsus_said(b, "group", one->group);
        if (is_marker) lapsus_said(b, "kind", one->kind);
        if (has_unit) lapsus_said(b, "unit", one->tag);
        if (one->marker >= 0) lapsus_count(b, "marker", (uint64_t)one->marker);
        if (has_tag) {
            lapsus_text(b, "tags");
            lapsus_head(b, 4, 1);
            lapsus_text(b, one->tag);
        }
        if (has_watch) {
            lapsus_text(b, "watches");
            lapsus_head(b, 4, 1);
            lapsus_head(b, 0, (uint64_t)one->watch);
        }
        if (has_place) {
            lapsus_text(b, "at");
            lapsus_head(b, 5, 2);
            lapsus_said(b, "file", lapsus_from_here(one->file));
            lapsus_count(b, "line", (uint64_t)one->line);
        }
        if (one->trial < 0) continue;
        lapsus_text(b, "variants");
        lapsus_head(b, 4, (uint64_t)p->trials[one->trial].count);
        for (j = 0; j < p->trials[one->trial].count; j++) lapsus_text(b, p->trials[one->trial].names[j]);
    }
}

/* Puts what is declared into a record: all of it, or what is new. Under the lock. Returns whether there was any. */
static int lapsus_put_tables(lapsus *p, lapsus_bytes *b, uint64_t sequence, int all) {
    lapsus_table *tables[5];
    static const char *const names[] = { "markers", "lanes", "gauges", "watches", "classes" };
    int i, fresh = 0;
    tables[0] = &p->markers, tables[1] = &p->lanes, tables[2] = &p->gauges, tables[3] = &p->watches, tables[4] = &p->classes;
    for (i = 0; i < 5; i++) fresh += tables[i]->count > (all ? 0 : tables[i]->sent);
    if (fresh == 0) return 0;
    lapsus_head(b, 5, (uint64_t)(2 + fresh));
    lapsus_said(b, "record", "declare");
    lapsus_count(b, "sequence", sequence);
    for (i = 0; i < 5; i++) {
        lapsus_put_declared(p, b, names[i], tables[i], all ? 0 : tables[i]->sent);
        if (!all) tables[i]->sent = tables[i]->count;
    }
    return 1;
}

static void lapsus_put_all_declared(lapsus *p, lapsus_bytes *b, uint64_t sequence) {
    pthread_mutex_lock(&p->lock);
    lapsus_put_tables(p, b, sequence, 1);
    pthread_mutex_unlock(&p->lock);
}

static void lapsus_send_declared(lapsus *p) {
    lapsus_bytes b = { NULL, 0, 0, 0 };
    int fresh;
    pthread_mutex_lock(&p->lock);
    fresh = lapsus_put_tables(p, &b, p->sequence + 1, 0);
    pthread_mutex_unlock(&p->lock);
    if (fresh) lapsus_sink_put(p, ++p->sequence, &b);
}

/* Samples by what they are of, in order of the frames, as columns. */
static void lapsus_put_samples(lapsus_bytes *b, const char *name, const char *of, const char *const *columns, int width,
                               const lapsus_samples *s, int ids) {
    size_t i;
    int id, c, used = 0;
    size_t *counts = (size_t *)calloc((size_t)ids + 1, sizeof *counts);
    if (counts == NULL) {
        b->failed = 1;
        return;
    }
    for (i = 0; i < s->count; i++)
        if (counts[s->items[i].id]++ == 0) used++;
    lapsus_text(b, name);
    lapsus_head(b, 4, (uint64_t)used);
    for (id = 0; id < ids; id++) {
        if (counts[id] == 0) continue;
        lapsus_head(b, 5, (uint64_t)(2 + width));
        lapsus_count(b, of, (uint64_t)id);
        lapsus_column(b, "frame", 66, 4, counts[id]);
        for (i = 0; i < s->count; i++)
            if (s->items[i].id == id) lapsus_big_endian(b, s->items[i].frame, 4);
        for (c = 0; c < width; c++) {
            lapsus_column(b, columns[c], 82, 8, counts[id]);
            for (i = 0; i < s->count; i++) {
                uint64_t bits;
                if (s->items[i].id != id) continue;
                memcpy(&bits, &s->items[i].values[c], 8);
                lapsus_big_endian(b, bits, 8);
            }
        }
    }
    free(counts);
}

static void lapsus_put_lane(lapsus_bytes *b, const lapsus *p, lapsus_lane *lane) {
    const lapsus_spans *s = &lane->chunk;
    size_t i;
    lapsus_head(b, 5, (uint64_t)(6 + (s->has_effect != 0) + (s->has_key != 0)));
    lapsus_count(b, "lane", (uint64_t)lane->number);
    lapsus_column32(b, "count", lane->count, p->frames);
    lapsus_column(b, "marker", 65, 2, s->count);
    for (i = 0; i < s->count; i++) lapsus_big_endian(b, s->marker[i], 2);
    lapsus_column(b, "start", 67, 8, s->count);
    for (i = 0; i < s->count; i++) lapsus_big_endian(b, s->start[i] - p->origin, 8);
    lapsus_column64(b, "duration", s->duration, s->count);
    lapsus_column(b, "depth", 64, 1, s->count);
    lapsus_put(b, s->depth, s->count);
    if (s->has_effect) {
        lapsus_column(b, "effect", 64, 1, s->count);
        lapsus_put(b, s->effect, s->count);
    }
    if (s->has_key) lapsus_column32(b, "key", s->key, s->count);
}

static void lapsus_put_problems(lapsus_bytes *b, lapsus *p) {
    int i;
    lapsus_text(b, "problems");
    pthread_mutex_lock(&p->lock);
    lapsus_head(b, 4, (uint64_t)p->problem_count);
    for (i = 0; i < p->problem_count; i++) {
        lapsus_head(b, 5, p->problems[i].about[0] == 0 ? 2 : 3);
        lapsus_said(b, "what", p->problems[i].what);
        if (p->problems[i].about[0] != 0) lapsus_said(b, "about", p->problems[i].about);
        lapsus_count(b, "count", p->problems[i].count);
    }
    p->problem_count = 0;
    pthread_mutex_unlock(&p->lock);
}

static void lapsus_put_jobs(lapsus_bytes *b, lapsus *p) {
    size_t i;
    pthread_mutex_lock(&p->lock);
    lapsus_text(b, "jobs");
    lapsus_head(b, 5, 5);
    lapsus_column(b, "job", 66, 4, p->job_count);
    for (i = 0; i < p->job_count; i++) lapsus_big_endian(b, p->jobs[i].job, 4);
    lapsus_column(b, "event", 64, 1, p->job_count);
    for (i = 0; i < p->job_count; i++) lapsus_big_endian(b, p->jobs[i].event, 1);
    lapsus_column(b, "lane", 66, 4, p->job_count);
    for (i = 0; i < p->job_count; i++) lapsus_big_endian(b, p->jobs[i].lane, 4);
    lapsus_column(b, "marker", 66, 4, p->job_count);
    for (i = 0; i < p->job_count; i++) lapsus_big_endian(b, p->jobs[i].marker, 4);
    lapsus_column(b, "at", 67, 8, p->job_count);
    for (i = 0; i < p->job_count; i++) lapsus_big_endian(b, p->jobs[i].at, 8);
    p->job_count = 0;
    pthread_mutex_unlock(&p->lock);
}

static int lapsus_has_spans(const lapsus_lane *lane) {
    return lane->chunk.count > 0;
}

static void lapsus_clear_lane(lapsus_lane *lane) {
    lapsus_clear_spans(&lane->chunk);
    lane->frames = 0;
}

/* Sends the chunk that has gathered. */
static void lapsus_send_chunk(lapsus *p) {
    static const char *const values[] = { "value" }, *const looks[] = { "looks", "changes" };
    static const char *const lives[] = { "born", "died", "bytes" };
    static const char *const updaters[] = { "instances", "enabled", "unseen", "far", "asleep", "every" };
    lapsus_bytes b = { NULL, 0, 0, 0 };
    lapsus_lane *lane;
    int lanes = lapsus_has_spans(&p->main);
    uint64_t repaired;
    if (p->frames == 0) return;
    lapsus_send_declared(p);
    for (lane = p->others; lane != NULL; lane = lane->next) lanes += lapsus_has_spans(lane);
    lapsus_head(&b, 5, (uint64_t)(13 + (p->picture_count > 0) + (p->has_stretch != 0)));
    lapsus_said(&b, "record", "chunk");
    lapsus_count(&b, "sequence", ++p->sequence);
    lapsus_text(&b, "frames");
    lapsus_head(&b, 5, p->ready.file < 0 ? 3 : 4);
    lapsus_column64(&b, "start", p->start, p->frames);
    lapsus_column64(&b, "duration", p->duration, p->frames);
    lapsus_column32(&b, "steps", p->step_counts, p->frames);
    if (p->ready.file >= 0) lapsus_column64(&b, "taken", p->taken, p->frames);
    lapsus_text(&b, "lanes");
    lapsus_head(&b, 4, (uint64_t)lanes);
    if (lapsus_has_spans(&p->main)) lapsus_put_lane(&b, p, &p->main);
    for (lane = p->others; lane != NULL; lane = lane->next)
        if (lapsus_has_spans(lane)) lapsus_put_lane(&b, p, lane);
    lapsus_put_samples(&b, "gauges", "gauge", values, 1, &p->chunk_gauges, p->gauges.count);
    lapsus_put_samples(&b, "watches", "watch", looks, 2, &p->chunk_watches, p->watches.count);
    lapsus_put_samples(&b, "lives", "class", lives, 3, &p->chunk_lives, p->classes.count);
    lapsus_put_samples(&b, "updaters", "class", updaters, 6, &p->chunk_updaters, p->classes.count);
    lapsus_text(&b, "moments");
    lapsus_head(&b, 4, p->moment_count);
    lapsus_put(&b, p->moments.data, p->moments.size);
    if (p->picture_count > 0) {
        lapsus_text(&b, "pictures");
        lapsus_head(&b, 4, p->picture_count);
        lapsus_put(&b, p->pictures.data, p->pictures.size);
    }
    if (p->has_stretch) {
        lapsus_text(&b, "stretch");
        lapsus_head(&b, 5, 2);
        lapsus_said(&b, "cause", "pause");
        lapsus_said(&b, "at", p->stretch_at);
        p->has_stretch = 0;
    }
    lapsus_put_jobs(&b, p);
    pthread_mutex_lock(&p->lock);
    repaired = p->repaired;
    p->repaired = 0;
    pthread_mutex_unlock(&p->lock);
    lapsus_count(&b, "dropped", p->dropped);
    lapsus_count(&b, "repaired", repaired);
    lapsus_put_problems(&b, p);
    p->dropped = 0;
    p->frames = p->moment_count = p->moments.size = p->picture_count = p->pictures.size = 0;
    p->chunk_gauges.count = p->chunk_watches.count = p->chunk_lives.count = p->chunk_updaters.count = 0;
    lapsus_clear_lane(&p->main);
    for (lane = p->others; lane != NULL; lane = lane->next) lapsus_clear_lane(lane);
    lapsus_sink_put(p, p->sequence, &b);
}

/* ---- frames ---- */

/* What was taken from the threads of other lanes, as a gauge of each. */
static void lapsus_gauge_taken(lapsus *p) {
    char name[LAPSUS_MOST_NAME + 16] = "taken: ";
    lapsus_lane *lane;
    uint64_t taken;
    int tells;
    pthread_mutex_lock(&p->lock);
    lane = p->others;
    pthread_mutex_unlock(&p->lock);
    for (; lane != NULL; lane = lane->next) {
        pthread_mutex_lock(&p->lock);
        tells = lane->tells;
        taken = lane->taken_ns;
        lane->taken_ns = 0;
        if (tells) strcpy(name + 7, p->lanes.items[lane->number].name);
        pthread_mutex_unlock(&p->lock);
        if (!tells) continue;
        if (lane->taken < 0) lane->taken = lapsus_gauge_id(p, name, "ms");
        lapsus_gauge(p, lane->taken, (double)taken / 1e6);
    }
}

static lapsus_sample *lapsus_add_sample(lapsus *p, lapsus_samples *s, int id) {
    lapsus_sample *one;
    if (!lapsus_grow((void **)&s->items, &s->room, s->count + 1, sizeof *s->items)) {
        lapsus_no_memory(p);
        return NULL;
    }
    one = &s->items[s->count++];
    memset(one, 0, sizeof *one);
    one->frame = (uint32_t)(p->frames - 1);
    one->id = id;
    return one;
}

static void lapsus_add_updaters(lapsus *p, int of_class) {
    lapsus_sample *s = lapsus_add_sample(p, &p->chunk_updaters, of_class);
    const lapsus_updater *u;
    int i;
    for (u = p->updaters; u != NULL && s != NULL; u = u->next) {
        if (u->of_class != of_class) continue;
        s->values[0]++;
        if (!u->enabled) continue;
        s->values[1]++;
        for (i = 0; i < 3; i++) s->values[2 + i] += u->idle[i];
        s->values[5] += u->ms;
    }
    if (s != NULL && s->values[1] > 0) s->values[5] /= s->values[1];
}

/* The spans that a lane hands over with this frame, the last of the chunk so far. */
static int lapsus_add_lane(lapsus *p, lapsus_lane *lane, lapsus_spans *spans) {
    if (!lapsus_grow((void **)&lane->count, &lane->count_room, p->frames, sizeof *lane->count)) return 0;
    while (lane->frames < p->frames) lane->count[lane->frames++] = 0;
    lane->count[p->frames - 1] = (uint32_t)spans->count;
    if (!lapsus_add_spans(&lane->chunk, spans)) return 0;
    lapsus_clear_spans(spans);
    return 1;
}

static int lapsus_frame_room(lapsus *p) {
    size_t room = p->frame_room, same = room, needed = p->frames + 1;
    int good = 1;
    if (needed <= room) return 1;
    same = room, good &= lapsus_grow((void **)&p->start, &same, needed, sizeof *p->start);
    same = room, good &= lapsus_grow((void **)&p->duration, &same, needed, sizeof *p->duration);
    same = room, good &= lapsus_grow((void **)&p->taken, &same, needed, sizeof *p->taken);
    same = room, good &= lapsus_grow((void **)&p->step_counts, &same, needed, sizeof *p->step_counts);
    if (good) p->frame_room = same;
    return good;
}

static void lapsus_close_frame(lapsus *p, uint64_t now) {
    lapsus_lane *lane;
    lapsus_sample *s;
    int i, good, is_full;
    int64_t taken = lapsus_taken(&p->ready);
    for (; p->main.depth > 0; lapsus_repair(p)) lapsus_leave(&p->main, LAPSUS_UNSAID);
    p->main.skipped = 0;
    pthread_mutex_lock(&p->sink.lock);
    is_full = p->sink.bytes > p->sink.most;
    pthread_mutex_unlock(&p->sink.lock);
    if (is_full || !lapsus_frame_room(p)) {
        /* Whole frames are left out, never parts of one. */
        p->dropped++;
        lapsus_clear_spans(&p->main.own);
        return;
    }
    p->start[p->frames] = p->frame_start - p->origin;
    p->duration[p->frames] = now - p->frame_start;
    p->taken[p->frames] = taken < 0 ? 0 : (uint64_t)taken;
    p->step_counts[p->frames] = p->steps;
    p->frames++;
    good = lapsus_add_lane(p, &p->main, &p->main.own);
    pthread_mutex_lock(&p->lock);
    for (lane = p->others; lane != NULL; lane = lane->next) good &= lapsus_add_lane(p, lane, &lane->done);
    pthread_mutex_unlock(&p->lock);
    if (!good) lapsus_no_memory(p);
    lapsus_gauge_taken(p);
    for (i = 0; i < p->gauges.count; i++) {
        if (!p->gauge_set[i] || (s = lapsus_add_sample(p, &p->chunk_gauges, i)) == NULL) continue;
        s->values[0] = p->gauge_now[i];
        p->gauge_set[i] = 0;
    }
    for (i = 0; i < p->watches.count; i++) {
        if (p->watch_looks[i] == 0 || (s = lapsus_add_sample(p, &p->chunk_watches, i)) == NULL) continue;
        s->values[0] = p->watch_looks[i];
        s->values[1] = p->watch_changes[i];
        p->watch_looks[i] = p->watch_changes[i] = 0;
    }
    for (i = 0; i < p->classes.count; i++) {
        if (p->lives_set[i] && (s = lapsus_add_sample(p, &p->chunk_lives, i)) != NULL) {
            memcpy(s->values, p->lives[i], sizeof p->lives[i]);
            memset(p->lives[i], 0, sizeof p->lives[i]);
        }
        p->lives_set[i] = 0;
        if (p->class_changed[i]) lapsus_add_updaters(p, i);
        p->class_changed[i] = 0;
    }
}

void lapsus_pause(lapsus *p) {
    if (!lapsus_is_on(p) || !p->has_frame) return;
    lapsus_close_frame(p, lapsus_now_ns());
    /* What is said from here on belongs to the chunk after the pause. */
    lapsus_send_chunk(p);
    p->has_frame = 0;
    p->paused = 1;
}

void lapsus_stop(lapsus *p) {
    lapsus_pause(p);
    lapsus_turn(p, 0);
}

static void lapsus_say_now(char to[32]) {
    struct tm utc;
    time_t now = time(NULL);
    gmtime_r(&now, &utc);
    strftime(to, 32, "%Y-%m-%dT%H:%M:%SZ", &utc);
}

void lapsus_frame(lapsus *p) {
    uint64_t now;
    lapsus_spans *s = &p->main.own;
    if (__atomic_load_n(&p->stop_wished, __ATOMIC_RELAXED)) lapsus_stop(p);
    if (!lapsus_is_on(p)) return;
    if (p->paused) {
        p->has_stretch = 1;
        lapsus_say_now(p->stretch_at);
    }
    p->paused = 0;
    now = lapsus_now_ns();
    if (p->has_frame) lapsus_close_frame(p, now);
    else {
        /* The loop may run on another thread than what began the recording. */
        if (p->ready.file >= 0) close(p->ready.file);
        lapsus_ask_ready(&p->ready);
        lapsus_taken(&p->ready);
        lapsus_clear_spans(s);
        p->main.depth = p->main.skipped = 0;
    }
    p->frame_start = now;
    p->steps = 0;
    p->has_frame = 1;
    if (p->frames > 0 && (now - p->origin - p->start[0] >= LAPSUS_CHUNK_NS || p->main.chunk.count >= LAPSUS_CHUNK_SPANS)) {
        lapsus_enter(&p->main, p->send);
        lapsus_send_chunk(p);
        lapsus_leave(&p->main, LAPSUS_UNSAID);
    }
    lapsus_turn_trials(p);
}

/* ---- the beginning and the end ---- */

/* What recording costs here, ns: the quickest of some rounds. */
static void lapsus_calibrate(lapsus *p, uint64_t *span, uint64_t *inside, uint64_t *reading, uint64_t *step) {
    const int calls = 4000;
    int round, i, steps = 0, marker = p->send;
    uint64_t from, sum, last, until;
    *span = *inside = *reading = *step = 1000000000u;
    lapsus_turn(p, 1);
    for (round = 0; round < 8 && p->on; round++) {
        lapsus_clear_spans(&p->main.own);
        from = lapsus_now_ns();
        for (i = 0; i < calls; i++) {
            lapsus_enter(&p->main, marker);
            lapsus_leave(&p->main, LAPSUS_UNSAID);
        }
        sum = (lapsus_now_ns() - from) / (uint64_t)calls;
        if (sum < *span) *span = sum;
        for (sum = 0, i = 0; i < calls; i++) sum += p->main.own.duration[i];
        if (sum / (uint64_t)calls < *inside) *inside = sum / (uint64_t)calls;
        from = lapsus_now_ns();
        for (i = 0; i < calls; i++) last = lapsus_now_ns();
        sum = (lapsus_now_ns() - from) / (uint64_t)calls;
        if (sum < *reading) *reading = sum;
    }
    lapsus_clear_spans(&p->main.own);
    lapsus_turn(p, 0);
    last = lapsus_now_ns();
    until = last + 20000000u;
    while (steps < 200 && last < until) {
        uint64_t now = lapsus_now_ns();
        if (now == last) continue;
        if (now - last < *step) *step = now - last;
        last = now;
        steps++;
    }
    if (*inside > *span) *inside = *span;
}

static char *lapsus_copy(const char *text) {
    char *own = text == NULL ? NULL : (char *)malloc(strlen(text) + 1);
    if (own != NULL) strcpy(own, text);
    return own;
}

static const char *lapsus_first(const char *one, const char *other) {
    return one != NULL && one[0] != 0 ? one : other != NULL && other[0] != 0 ? other : NULL;
}

static void lapsus_put_head(lapsus *p, lapsus_bytes *b, const lapsus_options *o) {
    static const char *const names[] = { "build", "device", "scene", "load", "version" };
    char cut[LAPSUS_MOST_NAME + 1], started[32], host[LAPSUS_MOST_NAME] = "";
    const char *said[5];
    uint64_t span, inside, reading, step;
    int i, count = 4;
    lapsus_calibrate(p, &span, &inside, &reading, &step);
    gethostname(host, sizeof host - 1);
    said[0] = o->build, said[1] = lapsus_first(o->device, host), said[2] = o->scene, said[3] = o->load, said[4] = o->version;
    for (i = 0; i < 5; i++) count += said[i] != NULL && said[i][0] != 0;
    lapsus_say_now(started);
    lapsus_head(b, 6, 55799);
    lapsus_head(b, 5, 8);
    lapsus_said(b, "record", "take");
    lapsus_count(b, "lapsus", 1);
    lapsus_said(b, "take", p->sink.take);
    p->sink.head_rest = b->size;
    lapsus_copy_name(cut, o->game);
    lapsus_said(b, "game", cut[0] == 0 ? "(no name)" : cut);
    lapsus_said(b, "writer", p->sink.writer);
    lapsus_text(b, "target");
    lapsus_double(b, isfinite(o->target) && o->target > 0 && o->target <= 10000 ? o->target : 60);
    lapsus_said(b, "started", started);
    lapsus_text(b, "conditions");
    lapsus_head(b, 5, (uint64_t)(count + (o->seed != NULL && isfinite(*o->seed))));
    for (i = 0; i < 5; i++) {
        if (said[i] == NULL || said[i][0] == 0) continue;
        lapsus_copy_name(cut, said[i]);
        lapsus_said(b, names[i], cut);
    }
    lapsus_said(b, "mode", "timing");
#ifdef __cplusplus
    lapsus_said(b, "runtime", "C++");
#else
    lapsus_said(b, "runtime", "C");
#endif
    lapsus_said(b, "probe", "lapsus.h " LAPSUS_VERSION);
    if (o->seed != NULL && isfinite(*o->seed)) {
        lapsus_text(b, "seed");
        lapsus_double(b, *o->seed);
    }
    lapsus_text(b, "recorder");
    lapsus_head(b, 5, 4);
    lapsus_count(b, "spanNs", span);
    lapsus_count(b, "clockReadNs", reading);
    lapsus_count(b, "clockResolutionNs", step);
    lapsus_count(b, "insideNs", inside);
}

/* Ends the take and delivers what is left, once. Returns whether all was. */
static int lapsus_finish(lapsus *p) {
    lapsus_bytes b = { NULL, 0, 0, 0 };
    int good = 0, is_open = !p->has_ended && (p->sink.file != NULL || p->sink.has_thread);
    p->has_ended = 1;
    if (is_open) {
        lapsus_pause(p);
        lapsus_send_chunk(p);
        lapsus_head(&b, 5, 4);
        lapsus_said(&b, "record", "end");
        lapsus_count(&b, "sequence", ++p->sequence);
        lapsus_count(&b, "dropped", p->dropped);
        lapsus_put_problems(&b, p);
        lapsus_sink_put(p, p->sequence, &b);
        good = lapsus_sink_close(p);
    }
    lapsus_turn(p, 0);
    return good;
}

/* Probes that record, and their games have not closed. */
static lapsus *lapsus_open_probes;
static pid_t lapsus_open_process;
static pthread_mutex_t lapsus_open_lock = PTHREAD_MUTEX_INITIALIZER;

/* A game that just ends still gets its whole take. Nothing is freed: other threads may be about. */
static void lapsus_at_exit(void) {
    lapsus *p;
    /* A child that was forked has neither the thread that delivers, nor any right to the file. */
    if (getpid() != lapsus_open_process) return;
    for (;;) {
        pthread_mutex_lock(&lapsus_open_lock);
        p = lapsus_open_probes;
        if (p != NULL) lapsus_open_probes = p->next_open;
        pthread_mutex_unlock(&lapsus_open_lock);
        if (p == NULL) return;
        lapsus_finish(p);
    }
}

static void lapsus_note_open(lapsus *p) {
    static int is_asked;
    pthread_mutex_lock(&lapsus_open_lock);
    p->next_open = lapsus_open_probes;
    lapsus_open_probes = p;
    lapsus_open_process = getpid();
    if (!is_asked) atexit(lapsus_at_exit);
    is_asked = 1;
    pthread_mutex_unlock(&lapsus_open_lock);
}

static void lapsus_forget_open(lapsus *p) {
    lapsus **place;
    pthread_mutex_lock(&lapsus_open_lock);
    for (place = &lapsus_open_probes; *place != NULL && *place != p;) place = &(*place)->next_open;
    if (*place == p) *place = p->next_open;
    pthread_mutex_unlock(&lapsus_open_lock);
}

static lapsus lapsus_silent; /* what is given where there is no memory at all */

lapsus *lapsus_begin(const lapsus_options *options) {
    static const lapsus_options none = { 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0 };
    const lapsus_options *o = options == NULL ? &none : options;
    lapsus *p = (lapsus *)calloc(1, sizeof *p);
    const char *to = lapsus_first(getenv("LAPSUS_TO"), o->to);
    char identity[33];
    if (p == NULL) {
        lapsus_silent.main.probe = &lapsus_silent;
        return &lapsus_silent;
    }
    p->main.probe = p;
    p->ready.file = -1;
    p->on_problem = o->on_problem;
    p->context = o->context;
    pthread_mutex_init(&p->lock, NULL);
    pthread_mutex_init(&p->sink.lock, NULL);
    pthread_cond_init(&p->sink.news, NULL);
    p->markers.most = LAPSUS_MOST_MARKERS;
    p->gauges.most = p->watches.most = p->classes.most = LAPSUS_MOST_NAMES;
    p->lanes.most = LAPSUS_MOST_LANES;
    p->gauge_now = (double *)calloc(LAPSUS_MOST_NAMES, sizeof(double));
    p->watch_looks = (double *)calloc(3 * LAPSUS_MOST_NAMES, sizeof(double));
    p->lives = (double(*)[3])calloc(LAPSUS_MOST_NAMES, sizeof *p->lives);
    p->gauge_set = (uint8_t *)calloc(4, LAPSUS_MOST_NAMES);
    p->class_changed = p->gauge_set == NULL ? NULL : p->gauge_set + LAPSUS_MOST_NAMES;
    p->watch_known = p->gauge_set == NULL ? NULL : p->gauge_set + 2 * LAPSUS_MOST_NAMES;
    p->lives_set = p->gauge_set == NULL ? NULL : p->gauge_set + 3 * LAPSUS_MOST_NAMES;
    if (p->gauge_now == NULL || p->watch_looks == NULL || p->lives == NULL || p->gauge_set == NULL) {
        lapsus_tell(p, "nothing is recorded: there is no memory");
        return p;
    }
    p->watch_changes = p->watch_looks + LAPSUS_MOST_NAMES;
    p->watch_value = p->watch_looks + 2 * LAPSUS_MOST_NAMES;
    lapsus_declare_locked(p, &p->lanes, "main", "", "");
    if (to == NULL) return p;
    p->send = lapsus_marker_at(p, "recorder.send", "recorder", "work", NULL, 0);
    p->random = lapsus_now_ns() | 1;
    lapsus_crc_table(&p->sink);
    lapsus_identity(identity);
    p->sink.writer = lapsus_copy(identity + 16);
    p->sink.take = lapsus_copy(lapsus_first(o->take, lapsus_first(getenv("LAPSUS_TAKE"), identity)));
    p->sink.most = (size_t)(o->buffer_mb > 0 ? o->buffer_mb : 64) << 20;
    lapsus_put_head(p, &p->sink.head, o);
    p->origin = lapsus_now_ns();
    if (p->sink.head.failed || p->sink.take == NULL || p->sink.writer == NULL) {
        lapsus_tell(p, "nothing is recorded: there is no memory");
        return p;
    }
    if (lapsus_is_address(to)) {
        p->sink.addresses = lapsus_copy(to);
        p->sink.key = lapsus_copy(lapsus_first(o->key, getenv("LAPSUS_KEY")));
        p->sink.has_thread = p->sink.addresses != NULL && pthread_create(&p->sink.thread, NULL, lapsus_deliver, p) == 0;
        p->on = p->sink.has_thread;
    } else {
        p->sink.file = fopen(to, "wb");
        /* Records are written whole: a child that is forked is to have nothing of them to write again. */
        if (p->sink.file != NULL) setvbuf(p->sink.file, NULL, _IONBF, 0);
        p->on = p->sink.file != NULL && fwrite(p->sink.head.data, 1, p->sink.head.size, p->sink.file) == p->sink.head.size;
    }
    if (!lapsus_is_on(p)) {
        char words[400];
        snprintf(words, sizeof words, "nothing is recorded: %.200s: %s", to, strerror(errno));
        lapsus_tell(p, words);
    } else lapsus_note_open(p);
    return p;
}

int lapsus_close(lapsus *p) {
    lapsus_lane *lane;
    int good;
    if (p == &lapsus_silent) return 0;
    lapsus_forget_open(p);
    good = lapsus_finish(p);
    if (p->sink.has_thread) {
        int is_done;
        pthread_mutex_lock(&p->sink.lock);
        is_done = p->sink.closing == 2;
        pthread_mutex_unlock(&p->sink.lock);
        /* One that hangs in a connection is left to itself, and keeps what it uses. */
        if (!is_done) {
            pthread_detach(p->sink.thread);
            return good;
        }
        pthread_join(p->sink.thread, NULL);
    }
    lapsus_forget_all(&p->sink);
    lapsus_forget_done(&p->sink);
    while ((lane = p->others) != NULL) {
        p->others = lane->next;
        lapsus_free_spans(&lane->own);
        lapsus_free_spans(&lane->done);
        lapsus_free_spans(&lane->chunk);
        free(lane->count);
        if (lane->ready.file >= 0) close(lane->ready.file);
        free(lane);
    }
    while (p->updaters != NULL) lapsus_dispose(p->updaters);
    lapsus_free_spans(&p->main.own);
    lapsus_free_spans(&p->main.chunk);
    free(p->main.count);
    free(p->markers.items), free(p->gauges.items), free(p->watches.items), free(p->classes.items), free(p->lanes.items);
    free(p->gauge_now), free(p->watch_looks), free(p->lives), free(p->gauge_set);
    free(p->start), free(p->duration), free(p->taken), free(p->step_counts);
    free(p->chunk_gauges.items), free(p->chunk_watches.items), free(p->chunk_lives.items), free(p->chunk_updaters.items);
    free(p->moments.data), free(p->pictures.data), free(p->jobs), free(p->sink.head.data);
    free(p->sink.addresses), free(p->sink.take), free(p->sink.key), free(p->sink.writer);
    if (p->ready.file >= 0) close(p->ready.file);
    pthread_mutex_destroy(&p->lock);
    pthread_mutex_destroy(&p->sink.lock);
    pthread_cond_destroy(&p->sink.news);
    free(p);
    return good;
}

#endif
#endif
