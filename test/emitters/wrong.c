/* A game that says everything wrong: nothing of it may fail. Compiles as C and as C++. */
#ifndef _POSIX_C_SOURCE
#define _POSIX_C_SOURCE 200809L
#endif
#define LAPSUS_IMPLEMENTATION
#include "../../emitters/c/lapsus.h"

#define EMPTY "\xff\xc0 broken \xe2\x82"

int main(int count, char **arguments) {
    static const char *const only[] = { "only", "only", NULL };
    const lapsus_datum data[] = { { "good", NULL, 1 }, { "bad", NULL, (double)NAN }, { NULL, "worse", 0 } };
    static const int markers[] = { 12345, -1, 1 << 30 };
    lapsus_options options;
    lapsus *probe;
    lapsus_lane *loop;
    int update, frame, watch;
    size_t i;
    if (count < 2) return 1;
    memset(&options, 0, sizeof options);
    options.game = NULL;
    options.target = (double)NAN;
    options.to = arguments[1];
    options.scene = EMPTY;
    probe = lapsus_begin(&options);
    loop = lapsus_main(probe);
    update = lapsus_marker(probe, "update", NULL, "nonsense");
    lapsus_tag(probe, 99, NULL);
    lapsus_looks_at(probe, update, 99);
    lapsus_marker(probe, NULL, NULL, NULL);
    lapsus_leave(loop, 77);
    for (frame = 0; frame < 3; frame++) {
        lapsus_frame(probe);
        for (i = 0; i < sizeof markers / sizeof *markers; i++) {
            lapsus_enter(loop, markers[i]);
            lapsus_leave(loop, 77);
        }
        lapsus_enter(loop, update);
        lapsus_leave(loop, -1);
        if (frame == 0) {
            lapsus_leave(loop, 0);
            lapsus_enter(loop, update);
            lapsus_watch(probe, 77, 1);
            lapsus_born(probe, 55, 1);
            lapsus_moment(probe, "odd", data, 3);
            lapsus_picture(probe, "RIFF....WEBPVP8X.....", 21);
            lapsus_picture(probe, NULL, 100);
        }
        lapsus_gauge(probe, -5, 1);
        lapsus_gauge(probe, 0, (double)NAN);
        lapsus_gauge(probe, 99, 1);
        watch = lapsus_watch_id(probe, NULL);
        lapsus_watch(probe, watch, (double)NAN);
        lapsus_idle(lapsus_new_updater(probe, 99, -1), 9, 1);
        lapsus_dispose(NULL);
        lapsus_variant(probe, lapsus_trial(probe, "one", only, 2, 0));
        lapsus_begin_job(loop, 0, update);
        lapsus_end_job(loop, 0, -1);
        lapsus_moment(probe, EMPTY, NULL, 0);
    }
    lapsus_close(probe);
    printf("the game goes on\n");
    return 0;
}
