/* A game that does little: frames of 10 ms, for so many ms; or 40 of them, with a rest of 0.3 s in between and at the end. Says how many there were. */
#define _POSIX_C_SOURCE 200809L
#define LAPSUS_IMPLEMENTATION
#include "../../emitters/c/lapsus.h"

int main(int count, char **given) {
    lapsus_options options;
    lapsus *probe;
    int beat, frames = 0;
    struct timespec rest = { 0, 10000000 }, long_rest = { 0, 300000000 };
    uint64_t until;
    if (count < 3) return 2;
    memset(&options, 0, sizeof options);
    options.game = "Pulse";
    options.to = given[1];
    probe = lapsus_begin(&options);
    beat = lapsus_marker(probe, "beat", "", "work");
    until = lapsus_now_ns() + (uint64_t)atoi(given[2]) * 1000000u;
    while (lapsus_now_ns() < until || (count > 3 && frames < 40)) {
        lapsus_frame(probe);
        lapsus_enter(lapsus_main(probe), beat);
        nanosleep(&rest, NULL);
        lapsus_leave(lapsus_main(probe), LAPSUS_UNSAID);
        frames++;
        if (count > 3 && frames == 20) {
            lapsus_pause(probe);
            lapsus_moment(probe, "rest", NULL, 0);
            nanosleep(&long_rest, NULL);
        }
    }
    if (count > 3) {
        lapsus_stop(probe);
        nanosleep(&long_rest, NULL);
    }
    lapsus_close(probe);
    printf("%d\n", frames);
    return 0;
}
