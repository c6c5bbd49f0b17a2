/* A little game that records itself, in C and in C++: cc -std=c99 -O2 -o bats bats.c -pthread -lm && ./bats night.lapsus, or an address;
 * then how many frames, a seed, and a small picture of the screen. */
#ifndef _POSIX_C_SOURCE
#define _POSIX_C_SOURCE 200809L
#endif
#define LAPSUS_IMPLEMENTATION
#include "../../emitters/c/lapsus.h"

#define BATS 40

static long long seed = 1;

/* From 0 on; the same in every language (Park and Miller). */
static int dice(int sides) {
    seed = seed * 16807 % 2147483647;
    return (int)(seed % sides);
}

static lapsus *probe;
static lapsus_lane *loop, *worker;
static int route;

static void *plan_route(void *job) {
    lapsus_begin_job(worker, *(uint32_t *)job, route);
    lapsus_end_job(worker, *(uint32_t *)job, route);
    return NULL;
}

int main(int count, char **arguments) {
    lapsus_options options;
    int frames = count > 2 ? atoi(arguments[2]) : 300, frame, i;
    static unsigned char screen[50000];
    size_t screen_size = 0;
    FILE *picture = count > 4 ? fopen(arguments[4], "rb") : NULL;
    int update, bat_update, look, check, hunt, wait, bats, mood, moth;
    unsigned long long looks_for = 0, moved = 0, yes = 0, bats_sum = 0, bells = 0, steps_sum = 0, born = 0, died = 0;
    unsigned long long changes = 0, routes = 0, inner_ns = 0, outer_ns = 0;
    static const char *const ways[] = { "every pair", "every other pair" };
    lapsus_updater *moths[3];
    int way;
    unsigned long long others = 0;
    double seed_given;
    if (count < 2) {
        fprintf(stderr, "expected a file or an address\n");
        return 1;
    }
    if (count > 3) seed = atoll(arguments[3]);
    if (picture != NULL) {
        screen_size = fread(screen, 1, sizeof screen, picture);
        fclose(picture);
    }
    seed_given = (double)seed;
    memset(&options, 0, sizeof options);
    options.game = "Bats in C";
    options.to = arguments[1];
    options.build = "release";
    options.seed = &seed_given;
    probe = lapsus_begin(&options);
    loop = lapsus_main(probe);
    worker = lapsus_new_lane(probe, "worker");
    update = lapsus_marker(probe, "bats.update", "simulation", "work");
    bat_update = lapsus_marker(probe, "bat.update", "simulation", "work");
    look = lapsus_marker(probe, "look", "", "work");
    lapsus_tag(probe, look, "search");
    check = lapsus_marker(probe, "belt.check", "", "work");
    hunt = lapsus_marker(probe, "hunt", "", "work");
    route = lapsus_marker(probe, "route", "", "work");
    wait = lapsus_marker(probe, "wait", "", "wait:refresh");
    bats = lapsus_gauge_id(probe, "bats", "");
    mood = lapsus_watch_id(probe, "mood");
    moth = lapsus_class_id(probe, "moth", bat_update);
    way = lapsus_trial(probe, "hunt", ways, 2, 10);
    for (i = 0; i < 3; i++) moths[i] = lapsus_new_updater(probe, moth, 0);

    for (frame = 0; frame < frames; frame++) {
        struct timespec pause = { 0, 1000000 };
        uint64_t outer, inner;
        volatile double near = 0;
        int steps;
        lapsus_frame(probe);
        steps = 1 + dice(3);
        steps_sum += (unsigned)steps;
        lapsus_steps(probe, (uint32_t)steps);
        lapsus_enter(loop, update);
        for (i = 0; i < BATS; i++) {
            int has_moved;
            lapsus_enter(loop, bat_update);
            if (dice(4) == 0) {
#ifdef __cplusplus
                lapsus_scope scope(loop, look);
                looks_for++;
#else
                lapsus_enter(loop, look);
                looks_for++;
                lapsus_leave(loop, LAPSUS_UNSAID);
#endif
            }
            has_moved = dice(3) != 0;
            moved += (unsigned)has_moved;
            lapsus_leave(loop, has_moved ? LAPSUS_CHANGED : LAPSUS_UNCHANGED);
        }
        lapsus_leave(loop, LAPSUS_UNSAID);
        for (i = 1; i <= 3; i++) {
            int answer;
            lapsus_enter_key(loop, check, (uint32_t)i);
            answer = dice(2) == 0;
            yes += (unsigned)answer;
            lapsus_leave(loop, answer ? LAPSUS_CHANGED : LAPSUS_UNCHANGED);
        }
        outer = lapsus_now_ns();
        lapsus_enter(loop, hunt);
        inner = lapsus_now_ns();
        others += (unsigned)lapsus_variant(probe, way);
        for (i = 0; i < 20000; i += 1 + lapsus_variant(probe, way)) near += sqrt(i);
        inner_ns += lapsus_now_ns() - inner;
        lapsus_leave(loop, LAPSUS_CHANGED);
        outer_ns += lapsus_now_ns() - outer;
        lapsus_gauge(probe, bats, BATS + frame % 7);
        bats_sum += (unsigned)(BATS + frame % 7);
        if (frame % 10 == 0) {
            lapsus_datum shift = { "shift", NULL, 0 };
            shift.number = frame / 10;
            lapsus_moment(probe, "bell", &shift, 1);
            bells++;
        }
        if (screen_size > 0) lapsus_picture(probe, screen, screen_size);
        for (i = 0; i < 2; i++) lapsus_watch(probe, mood, frame / 5);
        changes += frame > 0 && frame % 5 == 0;
        for (i = dice(3); i > 0; i--, born++) lapsus_born(probe, moth, 0);
        for (i = dice(2); i > 0; i--, died++) lapsus_died(probe, moth);
        if (frame == 5) lapsus_enable(moths[0], 0);
        if (frame == 8) lapsus_idle(moths[1], LAPSUS_ASLEEP, 1);
        if (frame % 16 == 0) {
            uint32_t job = lapsus_dispatch(probe, route);
            pthread_t thread;
            pthread_create(&thread, NULL, plan_route, &job);
            pthread_join(thread, NULL);
            routes++;
        }
        lapsus_enter(loop, wait);
        nanosleep(&pause, NULL);
        lapsus_leave(loop, LAPSUS_UNSAID);
    }
    lapsus_close(probe);
    printf("{\"frames\":%d,\"bats.update\":%d,\"bat.update\":%d,\"look\":%llu,\"belt.check\":%d,\"hunt\":%d,\"wait\":%d,"
           "\"route\":%llu,\"moved\":%llu,\"yes\":%llu,\"bats\":%llu,\"bells\":%llu,\"steps\":%llu,\"born\":%llu,"
           "\"died\":%llu,\"looks\":%d,\"others\":%llu,\"changes\":%llu,\"huntInnerNs\":%llu,\"huntOuterNs\":%llu}\n",
           frames, frames, BATS * frames, looks_for, 3 * frames, frames, frames, routes, moved, yes, bats_sum, bells,
           steps_sum, born, died, 2 * frames, others, changes, inner_ns, outer_ns);
    return 0;
}
