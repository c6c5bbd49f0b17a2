/* A little game loop that records itself: cc -std=c99 -O2 -o game game.c -lm && ./game night.lapsus */
#define _POSIX_C_SOURCE 199309L
#include "lapsus.h"

#include <math.h>
#include <stdlib.h>

#define FRAMES 300
#define BATS 200

uint64_t lapsus_now_ns(void) {
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000000000ull + (uint64_t)now.tv_nsec;
}

static double x[BATS], y[BATS];
static lapsus_take take;

/* Returns whether the bat has moved: every third one sleeps. */
static int fly(int bat, int frame) {
    if (bat % 3 == 0) return 0;
    x[bat] += sin(frame * 0.1 + bat);
    y[bat] += cos(frame * 0.1 + bat);
    return 1;
}

int main(int count, char **arguments) {
    static const char *const ways[] = { "every pair", "every other pair" };
    int update, bat_update, hunt, bats, way, frame, bat;
    if (count != 2 || !lapsus_open(&take, arguments[1], "Bats in C", 60.0, "release", "this machine")) {
        fprintf(stderr, "expected the name of a file that can be written\n");
        return 1;
    }
    update = lapsus_marker(&take, "bats.update", "simulation", "work");
    bat_update = lapsus_marker(&take, "bat.update", "simulation", "work");
    hunt = lapsus_marker(&take, "hunt", "simulation", "work");
    bats = lapsus_gauge_id(&take, "bats");
    way = lapsus_trial(&take, "hunt", ways, 2, 10);
    for (frame = 0; frame < FRAMES; frame++) {
        lapsus_frame(&take);
        lapsus_gauge(&take, bats, BATS);
        lapsus_enter(&take, update);
        for (bat = 0; bat < BATS; bat++) {
            lapsus_enter(&take, bat_update);
            lapsus_leave(&take, fly(bat, frame) ? LAPSUS_CHANGED : LAPSUS_UNCHANGED);
        }
        lapsus_leave(&take, LAPSUS_UNSAID);
        if (frame % 5 == 4) {
            volatile double near = 0;
            int step = 1 + lapsus_variant(&take, way);
            lapsus_enter(&take, hunt);
            for (bat = 0; bat < BATS * BATS; bat += step) near += fabs(x[bat % BATS] - x[bat / BATS]);
            lapsus_leave(&take, LAPSUS_CHANGED);
        }
    }
    return lapsus_close(&take) ? 0 : 1;
}
