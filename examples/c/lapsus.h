/*
 * Writes take files, version 1, from C (C99), with nothing but the standard library.
 * Include it in one source file. The format is specified in docs/format.md.
 *
 *     lapsus_take take;
 *     lapsus_open(&take, "night.lapsus", "My Game", 60.0, "release", "my machine");
 *     int update = lapsus_marker(&take, "update", "simulation", "work");
 *     for (;;) {
 *         lapsus_frame(&take);
 *         lapsus_enter(&take, update);
 *         ...
 *         lapsus_leave(&take, LAPSUS_CHANGED);
 *     }
 *     lapsus_close(&take);
 *
 * On Linux each frame also says how long the calling thread stood ready while the system ran something else.
 *
 * Times are read from lapsus_now_ns(), which the game provides: nanoseconds on any clock that never goes
 * back. Every function may be called after one has failed; lapsus_close says whether all was written.
 */
#ifndef LAPSUS_H
#define LAPSUS_H

#include <stdint.h>
#include <stdio.h>
#include <string.h>
#include <time.h>

#define LAPSUS_SPANS 8192
#define LAPSUS_FRAMES 256
#define LAPSUS_MARKERS 512
#define LAPSUS_GAUGES 32
#define LAPSUS_TRIALS 8
#define LAPSUS_VARIANTS 8
#define LAPSUS_DEPTH 64
#define LAPSUS_NAME 200

/* What a run says about itself when it ends. */
enum { LAPSUS_UNSAID = 0, LAPSUS_UNCHANGED = 1, LAPSUS_CHANGED = 2 };

/* Provided by the game. */
uint64_t lapsus_now_ns(void);

typedef struct {
    FILE *file;
    int failed;
    /* Where the system tells how long the thread stood ready; NULL where it does not. */
    FILE *ready;
    uint64_t ready_ns;
    uint64_t origin_ns, frame_start_ns, sequence;
    int frame_open, frames, spans, depth;
    int markers, markers_sent, gauges, gauges_sent;
    uint64_t dropped, repaired;
    char marker_name[LAPSUS_MARKERS][LAPSUS_NAME + 1];
    char marker_group[LAPSUS_MARKERS][LAPSUS_NAME + 1];
    const char *marker_kind[LAPSUS_MARKERS];
    char gauge_name[LAPSUS_GAUGES][LAPSUS_NAME + 1];
    /* Trials: the gauge that tells which variant is in use, and what is left of its block and of its round. */
    int trials;
    int trial_gauge[LAPSUS_TRIALS], trial_count[LAPSUS_TRIALS], trial_frames[LAPSUS_TRIALS];
    int trial_now[LAPSUS_TRIALS], trial_left[LAPSUS_TRIALS], trial_open[LAPSUS_TRIALS];
    int trial_round[LAPSUS_TRIALS][LAPSUS_VARIANTS];
    char variant_name[LAPSUS_TRIALS][LAPSUS_VARIANTS][LAPSUS_NAME + 1];
    uint64_t random;
    /* Of the chunk to come. One element a frame: */
    uint64_t frame_start[LAPSUS_FRAMES], frame_duration[LAPSUS_FRAMES];
    uint32_t frame_spans[LAPSUS_FRAMES];
    uint64_t frame_taken[LAPSUS_FRAMES];
    /* One element a span: */
    uint64_t start[LAPSUS_SPANS], duration[LAPSUS_SPANS];
    uint16_t marker[LAPSUS_SPANS];
    uint8_t span_depth[LAPSUS_SPANS], effect[LAPSUS_SPANS];
    int open[LAPSUS_DEPTH];
    /* Gauges: a value for each frame in which one was set. */
    double gauge_value[LAPSUS_GAUGES][LAPSUS_FRAMES];
    uint8_t gauge_set[LAPSUS_GAUGES][LAPSUS_FRAMES];
} lapsus_take;

/* ---- CBOR (RFC 8949): the few items that takes need ---- */

static void lapsus_put(lapsus_take *t, const void *bytes, size_t count) {
    if (t->failed) return;
    if (fwrite(bytes, 1, count, t->file) != count) t->failed = 1;
}

static void lapsus_head(lapsus_take *t, int major, uint64_t value) {
    uint8_t bytes[9];
    int size = value < 24 ? 0 : value < 0x100 ? 1 : value < 0x10000 ? 2 : value < 0x100000000ull ? 4 : 8;
    int minor = size == 0 ? (int)value : size == 1 ? 24 : size == 2 ? 25 : size == 4 ? 26 : 27;
    int i;
    bytes[0] = (uint8_t)(major << 5 | minor);
    for (i = 0; i < size; i++) bytes[1 + i] = (uint8_t)(value >> (8 * (size - 1 - i)));
    lapsus_put(t, bytes, (size_t)size + 1);
}

static void lapsus_text(lapsus_take *t, const char *text) {
    size_t length = strlen(text);
    lapsus_head(t, 3, length);
    lapsus_put(t, text, length);
}

static void lapsus_double(lapsus_take *t, double value) {
    uint64_t bits;
    uint8_t bytes[9];
    int i;
    memcpy(&bits, &value, 8);
    bytes[0] = 0xfb;
    for (i = 0; i < 8; i++) bytes[1 + i] = (uint8_t)(bits >> (56 - 8 * i));
    lapsus_put(t, bytes, 9);
}

static void lapsus_key_text(lapsus_take *t, const char *key, const char *value) {
    lapsus_text(t, key);
    lapsus_text(t, value);
}

static void lapsus_key_uint(lapsus_take *t, const char *key, uint64_t value) {
    lapsus_text(t, key);
    lapsus_head(t, 0, value);
}

/* A column (RFC 8746): 64, 65 and 67 are big-endian unsigned integers of 8, 16 and 64 bits. */
static void lapsus_column(lapsus_take *t, const char *key, int tag, int bytes, int count) {
    lapsus_text(t, key);
    lapsus_head(t, 6, (uint64_t)tag);
    lapsus_head(t, 2, (uint64_t)bytes * (uint64_t)count);
}

static void lapsus_big_endian(lapsus_take *t, uint64_t value, int bytes) {
    uint8_t out[8];
    int i;
    for (i = 0; i < bytes; i++) out[i] = (uint8_t)(value >> (8 * (bytes - 1 - i)));
    lapsus_put(t, out, (size_t)bytes);
}

static void lapsus_column64(lapsus_take *t, const char *key, const uint64_t *values, int count) {
    int i;
    lapsus_column(t, key, 67, 8, count);
    for (i = 0; i < count; i++) lapsus_big_endian(t, values[i], 8);
}

/* ---- records ---- */

/* The trial whose variants a gauge tells; -1 for other gauges. */
static int lapsus_trial_of(const lapsus_take *t, int gauge) {
    int i;
    for (i = 0; i < t->trials; i++) if (t->trial_gauge[i] == gauge) return i;
    return -1;
}

static void lapsus_declare(lapsus_take *t) {
    int i, j;
    if (t->markers == t->markers_sent && t->gauges == t->gauges_sent && t->sequence > 0) return;
    lapsus_head(t, 5, 5);
    lapsus_key_text(t, "record", "declare");
    lapsus_key_uint(t, "sequence", ++t->sequence);
    lapsus_text(t, "markers");
    lapsus_head(t, 4, (uint64_t)(t->markers - t->markers_sent));
    for (i = t->markers_sent; i < t->markers; i++) {
        lapsus_head(t, 5, 4);
        lapsus_key_uint(t, "id", (uint64_t)i);
        lapsus_key_text(t, "name", t->marker_name[i]);
        lapsus_key_text(t, "group", t->marker_group[i]);
        lapsus_key_text(t, "kind", t->marker_kind[i]);
    }
    lapsus_text(t, "lanes");
    lapsus_head(t, 4, 1);
    lapsus_head(t, 5, 2);
    lapsus_key_uint(t, "id", 0);
    lapsus_key_text(t, "name", "main");
    lapsus_text(t, "gauges");
    lapsus_head(t, 4, (uint64_t)(t->gauges - t->gauges_sent));
    for (i = t->gauges_sent; i < t->gauges; i++) {
        int trial = lapsus_trial_of(t, i);
        lapsus_head(t, 5, trial < 0 ? 2 : 3);
        lapsus_key_uint(t, "id", (uint64_t)i);
        lapsus_key_text(t, "name", t->gauge_name[i]);
        if (trial < 0) continue;
        lapsus_text(t, "variants");
        lapsus_head(t, 4, (uint64_t)t->trial_count[trial]);
        for (j = 0; j < t->trial_count[trial]; j++) lapsus_text(t, t->variant_name[trial][j]);
    }
    t->markers_sent = t->markers;
    t->gauges_sent = t->gauges;
}

static void lapsus_gauge_samples(lapsus_take *t) {
    int gauge, i, used = 0;
    for (gauge = 0; gauge < t->gauges; gauge++) used += memchr(t->gauge_set[gauge], 1, (size_t)t->frames) != NULL;
    lapsus_text(t, "gauges");
    lapsus_head(t, 4, (uint64_t)used);
    for (gauge = 0; gauge < t->gauges; gauge++) {
        int count = 0;
        for (i = 0; i < t->frames; i++) count += t->gauge_set[gauge][i];
        if (count == 0) continue;
        lapsus_head(t, 5, 3);
        lapsus_key_uint(t, "gauge", (uint64_t)gauge);
        lapsus_text(t, "frame");
        lapsus_head(t, 4, (uint64_t)count);
        for (i = 0; i < t->frames; i++) if (t->gauge_set[gauge][i]) lapsus_head(t, 0, (uint64_t)i);
        lapsus_text(t, "value");
        lapsus_head(t, 4, (uint64_t)count);
        for (i = 0; i < t->frames; i++) if (t->gauge_set[gauge][i]) lapsus_double(t, t->gauge_value[gauge][i]);
    }
}

/* Time that the system has taken from this thread since the last call. Left out from where it cannot be read. */
static uint64_t lapsus_taken(lapsus_take *t) {
    unsigned long long ran, ready;
    uint64_t before = t->ready_ns;
    if (t->ready == NULL) return 0;
    rewind(t->ready);
    if (fscanf(t->ready, "%llu %llu", &ran, &ready) != 2) {
        fclose(t->ready);
        t->ready = NULL;
        return 0;
    }
    t->ready_ns = ready;
    return ready - before;
}

/* Writes the chunk that has gathered. */
static void lapsus_flush(lapsus_take *t) {
    int i;
    if (t->frames == 0) return;
    lapsus_declare(t);
    lapsus_head(t, 5, 7);
    lapsus_key_text(t, "record", "chunk");
    lapsus_key_uint(t, "sequence", ++t->sequence);
    lapsus_text(t, "frames");
    lapsus_head(t, 5, t->ready == NULL ? 2 : 3);
    lapsus_column64(t, "start", t->frame_start, t->frames);
    lapsus_column64(t, "duration", t->frame_duration, t->frames);
    if (t->ready != NULL) lapsus_column64(t, "taken", t->frame_taken, t->frames);
    lapsus_text(t, "lanes");
    lapsus_head(t, 4, 1);
    lapsus_head(t, 5, 7);
    lapsus_key_uint(t, "lane", 0);
    lapsus_text(t, "count");
    lapsus_head(t, 4, (uint64_t)t->frames);
    for (i = 0; i < t->frames; i++) lapsus_head(t, 0, t->frame_spans[i]);
    lapsus_column(t, "marker", 65, 2, t->spans);
    for (i = 0; i < t->spans; i++) lapsus_big_endian(t, t->marker[i], 2);
    lapsus_column64(t, "start", t->start, t->spans);
    lapsus_column64(t, "duration", t->duration, t->spans);
    lapsus_column(t, "depth", 64, 1, t->spans);
    lapsus_put(t, t->span_depth, (size_t)t->spans);
    lapsus_column(t, "effect", 64, 1, t->spans);
    lapsus_put(t, t->effect, (size_t)t->spans);
    lapsus_gauge_samples(t);
    lapsus_key_uint(t, "dropped", t->dropped);
    lapsus_key_uint(t, "repaired", t->repaired);
    t->frames = t->spans = 0;
    t->dropped = t->repaired = 0;
    memset(t->gauge_set, 0, sizeof t->gauge_set);
}

/* ---- what a game calls ---- */

/* Begins a take. Returns 0 when the file cannot be written. */
static int lapsus_open(lapsus_take *t, const char *path, const char *game, double target, const char *build,
                       const char *device) {
    char identity[65], started[32];
    time_t now = time(NULL);
    memset(t, 0, sizeof *t);
    t->file = fopen(path, "wb");
    if (t->file == NULL) return 0;
    t->origin_ns = lapsus_now_ns();
    t->random = t->origin_ns | 1;
#ifdef __linux__
    t->ready = fopen("/proc/thread-self/schedstat", "r");
    if (t->ready != NULL) setvbuf(t->ready, NULL, _IONBF, 0);
#endif
    lapsus_taken(t);
    strftime(started, sizeof started, "%Y-%m-%dT%H:%M:%SZ", gmtime(&now));
    snprintf(identity, sizeof identity, "c-%lld-%llu", (long long)now, (unsigned long long)t->origin_ns);
    lapsus_head(t, 6, 55799);
    lapsus_head(t, 5, 7);
    lapsus_key_text(t, "record", "take");
    lapsus_key_uint(t, "lapsus", 1);
    lapsus_key_text(t, "take", identity);
    lapsus_key_text(t, "game", game);
    lapsus_text(t, "target");
    lapsus_double(t, target);
    lapsus_key_text(t, "started", started);
    lapsus_text(t, "conditions");
    lapsus_head(t, 5, 3);
    lapsus_key_text(t, "build", build);
    lapsus_key_text(t, "device", device);
    lapsus_key_text(t, "runtime", "C");
    return !t->failed;
}

/* Declares a marker, once, outside the loop. kind: "work", "wait:refresh", "wait:graphics", "wait:job",
 * "wait:io" or "collect". Returns its handle. */
static int lapsus_marker(lapsus_take *t, const char *name, const char *group, const char *kind) {
    int id = t->markers;
    if (id == LAPSUS_MARKERS) return LAPSUS_MARKERS - 1;
    t->markers++;
    strncpy(t->marker_name[id], name[0] ? name : "(no name)", LAPSUS_NAME);
    strncpy(t->marker_group[id], group, LAPSUS_NAME);
    t->marker_kind[id] = kind;
    return id;
}

/* Declares a number that is sampled per frame, once, outside the loop. */
static int lapsus_gauge_id(lapsus_take *t, const char *name) {
    int id = t->gauges;
    if (id == LAPSUS_GAUGES) return LAPSUS_GAUGES - 1;
    t->gauges++;
    strncpy(t->gauge_name[id], name[0] ? name : "(no name)", LAPSUS_NAME);
    return id;
}

/*
 * Tries variants of the same code against each other: they are used in turn, each for a block of frames, in random order.
 * Returns what lapsus_variant takes; -1, and variant 0 for ever, where there are too many.
 */
static int lapsus_trial(lapsus_take *t, const char *name, const char *const *variants, int count, int frames) {
    int id = t->trials, i;
    if (id == LAPSUS_TRIALS || count < 2 || count > LAPSUS_VARIANTS || t->gauges == LAPSUS_GAUGES) return -1;
    t->trials++;
    t->trial_gauge[id] = lapsus_gauge_id(t, name);
    t->trial_count[id] = count;
    t->trial_frames[id] = frames > 0 ? frames : 60;
    t->trial_now[id] = t->trial_left[id] = t->trial_open[id] = 0;
    for (i = 0; i < count; i++) strncpy(t->variant_name[id][i], variants[i], LAPSUS_NAME);
    return id;
}

/* The number of the variant to use now, from 0. */
static int lapsus_variant(const lapsus_take *t, int trial) {
    return trial < 0 ? 0 : t->trial_now[trial];
}

/* Each variant comes once in every round: rounds differ in order only (xorshift, Fisher and Yates). */
static void lapsus_turn(lapsus_take *t, int trial) {
    int *round = t->trial_round[trial], i;
    if (t->trial_left[trial]-- > 0) return;
    if (t->trial_open[trial] == 0) {
        t->trial_open[trial] = t->trial_count[trial];
        for (i = 0; i < t->trial_count[trial]; i++) round[i] = i;
        for (i = t->trial_count[trial] - 1; i > 0; i--) {
            int other, kept = round[i];
            t->random ^= t->random << 13;
            t->random ^= t->random >> 7;
            t->random ^= t->random << 17;
            other = (int)(t->random % (uint64_t)(i + 1));
            round[i] = round[other];
            round[other] = kept;
        }
    }
    t->trial_now[trial] = round[--t->trial_open[trial]];
    t->trial_left[trial] = t->trial_frames[trial] - 1;
}

static void lapsus_leave(lapsus_take *t, int effect) {
    uint64_t now = lapsus_now_ns();
    int at;
    if (t->depth == 0) {
        t->repaired++;
        return;
    }
    if (--t->depth >= LAPSUS_DEPTH) return;
    at = t->open[t->depth];
    if (at < 0) return;
    t->duration[at] = now - t->origin_ns - t->start[at];
    t->effect[at] = (uint8_t)effect;
}

static void lapsus_close_frame(lapsus_take *t) {
    uint64_t now = lapsus_now_ns() - t->origin_ns;
    uint64_t taken;
    int first, i;
    if (!t->frame_open) return;
    while (t->depth > 0) {
        t->repaired++;
        lapsus_leave(t, LAPSUS_UNSAID);
    }
    t->frame_open = 0;
    taken = lapsus_taken(t);
    for (first = 0, i = 0; i < t->frames; i++) first += (int)t->frame_spans[i];
    if (t->spans > LAPSUS_SPANS) {
        /* The frame did not fit: it is left out whole. */
        t->spans = first;
        t->dropped++;
        return;
    }
    t->frame_start[t->frames] = t->frame_start_ns;
    t->frame_duration[t->frames] = now - t->frame_start_ns;
    t->frame_spans[t->frames] = (uint32_t)(t->spans - first);
    t->frame_taken[t->frames] = taken;
    t->frames++;
}

static void lapsus_gauge(lapsus_take *t, int gauge, double value);

/* Closes the last frame and opens the next: at the top of each turn of the loop. */
static void lapsus_frame(lapsus_take *t) {
    int i;
    lapsus_close_frame(t);
    if (t->frames == LAPSUS_FRAMES || t->spans > LAPSUS_SPANS / 2) lapsus_flush(t);
    t->frame_open = 1;
    for (i = 0; i < t->trials; i++) {
        lapsus_turn(t, i);
        lapsus_gauge(t, t->trial_gauge[i], t->trial_now[i]);
    }
    t->frame_start_ns = lapsus_now_ns() - t->origin_ns;
}

static void lapsus_enter(lapsus_take *t, int marker) {
    int depth = t->depth++;
    if (depth >= LAPSUS_DEPTH) {
        t->repaired++;
        return;
    }
    t->open[depth] = -1;
    if (!t->frame_open) return;
    if (t->spans >= LAPSUS_SPANS) {
        t->spans = LAPSUS_SPANS + 1;
        return;
    }
    t->open[depth] = t->spans;
    t->marker[t->spans] = (uint16_t)marker;
    t->span_depth[t->spans] = (uint8_t)depth;
    t->effect[t->spans] = LAPSUS_UNSAID;
    t->start[t->spans++] = lapsus_now_ns() - t->origin_ns;
}

/* The last value in a frame counts. */
static void lapsus_gauge(lapsus_take *t, int gauge, double value) {
    if (!t->frame_open || t->frames >= LAPSUS_FRAMES || value != value) return;
    t->gauge_value[gauge][t->frames] = value;
    t->gauge_set[gauge][t->frames] = 1;
}

/* Ends the take. Returns 0 when something could not be written. */
static int lapsus_close(lapsus_take *t) {
    lapsus_close_frame(t);
    lapsus_flush(t);
    lapsus_head(t, 5, 2);
    lapsus_key_text(t, "record", "end");
    lapsus_key_uint(t, "sequence", ++t->sequence);
    if (t->ready != NULL) fclose(t->ready);
    t->ready = NULL;
    if (fclose(t->file) != 0) t->failed = 1;
    return !t->failed;
}

#endif
