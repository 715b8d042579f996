/* Programs that present in the ways that a tap must tell apart: by what they are asked for in their first word. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

typedef void (*swap)(void *, unsigned long);
extern void glXSwapBuffers(void *, unsigned long);
extern void (*glXGetProcAddressARB(const char *))(void);
static int display;

static void present(swap by, unsigned long window, int frames) {
    for (int i = 0; i < frames; i++) by(&display, window);
}

/* What an exec ends is lost unless it is on the disk: wait until our file holds a frame. */
static void until_written(void) {
    char path[4096];
    struct stat is;
    snprintf(path, sizeof path, "%s/%d-1.jsonl", getenv("VIGILANT_TAP_FOLDER"), (int)getpid());
    while (stat(path, &is) || is.st_size < 1000) usleep(1000);
}

int main(int count, char **words) {
    const char *how = count > 1 ? words[1] : "";
    int frames = count > 2 ? atoi(words[2]) : 40;
    swap by = glXSwapBuffers;
    if (!strcmp(how, "looks up")) {
        void *library = dlopen(words[3], RTLD_NOW | RTLD_LOCAL);
        by = library ? (swap)dlsym(library, "glXSwapBuffers") : NULL;
        if (!by || dlsym(library, "nothing of the kind")) return 9;
    }
    if (!strcmp(how, "plays")) ((int (*)(unsigned))glXGetProcAddressARB("glXSwapIntervalMESA"))(0);
    if (!strcmp(how, "never")) return 0;
    if (!strcmp(how, "forks")) {
        pid_t child = fork();
        if (!child) {
            present(by, 1, frames / 2);
            return 0;
        }
        present(by, 1, frames);
        waitpid(child, NULL, 0);
        return 0;
    }
    if (!strcmp(how, "execs")) {
        present(by, 1, frames / 2);
        until_written();
        execl(words[0], words[0], "plays", words[2], (char *)NULL);
    }
    if (!strcmp(how, "times")) {
        struct timespec from, to;
        clock_gettime(CLOCK_THREAD_CPUTIME_ID, &from);
        present(by, 1, frames);
        clock_gettime(CLOCK_THREAD_CPUTIME_ID, &to);
        printf("%.1f\n", ((double)(to.tv_sec - from.tv_sec) * 1e9 + (double)(to.tv_nsec - from.tv_nsec)) / frames);
        return 0;
    }
    if (!strcmp(how, "two windows"))
        for (int i = 0; i < frames; i++) {
            present(by, 1, 1);
            if (i % 2) present(by, 2, 1);
        }
    else
        present(by, 1, frames);
    if (!strcmp(how, "crashes")) raise(SIGSEGV);
    if (!strcmp(how, "leaves at once")) _exit(0);
    if (!strcmp(how, "goes on")) present(by, 1, 1000000);
    return 0;
}
