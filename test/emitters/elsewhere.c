/* A game whose loop runs on another thread than what began the recording. */
#ifndef _POSIX_C_SOURCE
#define _POSIX_C_SOURCE 200809L
#endif
#define LAPSUS_IMPLEMENTATION
#include "../../emitters/c/lapsus.h"

static void *loop(void *probe) {
    volatile unsigned sum = 0;
    unsigned i, frame;
    for (frame = 0; frame < 100; frame++) {
        lapsus_frame((lapsus *)probe);
        for (i = 0; i < 2000000; i++) sum += i;
    }
    lapsus_close((lapsus *)probe);
    return NULL;
}

int main(int count, char **arguments) {
    lapsus_options options;
    pthread_t thread;
    if (count < 2) return 1;
    memset(&options, 0, sizeof options);
    options.to = arguments[1];
    if (pthread_create(&thread, NULL, loop, lapsus_begin(&options)) != 0) return 1;
    return pthread_join(thread, NULL);
}
