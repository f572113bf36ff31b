/* Stands for a disk that really waits: each fsync and fdatasync takes SLOW_SYNC_US microseconds longer.
   Built and preloaded by compare.py --sync-delay. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <stdlib.h>
#include <time.h>

typedef int (*sync_call)(int);

static void wait_as_told(void) {
    const char *told = getenv("SLOW_SYNC_US");
    long us = told ? atol(told) : 0;
    struct timespec time = {us / 1000000, (us % 1000000) * 1000};
    if (us > 0) nanosleep(&time, NULL);
}

int fsync(int file) {
    wait_as_told();
    return ((sync_call)dlsym(RTLD_NEXT, "fsync"))(file);
}

int fdatasync(int file) {
    wait_as_told();
    return ((sync_call)dlsym(RTLD_NEXT, "fdatasync"))(file);
}
