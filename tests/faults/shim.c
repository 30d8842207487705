/* Counts what a process asks the system to change below one folder, and at the n-th such call kills the process or
   lets the call fail. Loaded before the C library (LD_PRELOAD), so that it stands in the way of Python, SQLite and all. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/types.h>
#include <sys/uio.h>
#include <unistd.h>

static char under[PATH_MAX];
static long count, at;
static int mode; /* 0: only count; below 0: kill; above 0: fail with this errno */
static char last[128];

void fault_arm(const char *folder, long number, int how) {
    strncpy(under, folder, sizeof under - 1);
    count = 0;
    at = number;
    mode = how;
}
long fault_count(void) { return count; }
const char *fault_last(void) { return last; }

/* Nonzero when the call is to fail; does not return when the process is to die. */
static int hit(const char *call, const char *path) {
    if (!under[0] || strncmp(path, under, strlen(under)) != 0) return 0;
    if (++count != at || mode == 0) return 0;
    if (mode < 0) {
        kill(getpid(), SIGKILL);
        pause();
    }
    snprintf(last, sizeof last, "%s %.90s", call, path + strlen(under));
    errno = mode;
    return 1;
}

static int hit_fd(const char *call, int fd) {
    char link[64], path[PATH_MAX];
    snprintf(link, sizeof link, "/proc/self/fd/%d", fd);
    ssize_t size = readlink(link, path, sizeof path - 1);
    if (size <= 0) return 0;
    path[size] = 0;
    return hit(call, path);
}

static int hit_at(const char *call, int folder, const char *name) {
    char link[64], path[PATH_MAX * 2], base[PATH_MAX];
    if (name[0] == '/') return hit(call, name);
    if (folder == AT_FDCWD) {
        if (!getcwd(base, sizeof base)) return 0;
    } else {
        snprintf(link, sizeof link, "/proc/self/fd/%d", folder);
        ssize_t size = readlink(link, base, sizeof base - 1);
        if (size <= 0) return 0;
        base[size] = 0;
    }
    snprintf(path, sizeof path, "%s/%s", base, name);
    return hit(call, path);
}

#define REAL(type, name, ...) type (*real)(__VA_ARGS__) = (type (*)(__VA_ARGS__))dlsym(RTLD_NEXT, name)

ssize_t write(int fd, const void *data, size_t size) {
    REAL(ssize_t, "write", int, const void *, size_t);
    return hit_fd("write", fd) ? -1 : real(fd, data, size);
}
ssize_t pwrite64(int fd, const void *data, size_t size, off64_t offset) {
    REAL(ssize_t, "pwrite64", int, const void *, size_t, off64_t);
    return hit_fd("write", fd) ? -1 : real(fd, data, size, offset);
}
int fsync(int fd) {
    REAL(int, "fsync", int);
    return hit_fd("fsync", fd) ? -1 : real(fd);
}
int fdatasync(int fd) {
    REAL(int, "fdatasync", int);
    return hit_fd("fsync", fd) ? -1 : real(fd);
}
int ftruncate64(int fd, off64_t size) {
    REAL(int, "ftruncate64", int, off64_t);
    return hit_fd("truncate", fd) ? -1 : real(fd, size);
}
int rename(const char *from, const char *to) {
    REAL(int, "rename", const char *, const char *);
    return hit_at("rename", AT_FDCWD, to) ? -1 : real(from, to);
}
int renameat(int a, const char *from, int b, const char *to) {
    REAL(int, "renameat", int, const char *, int, const char *);
    return hit_at("rename", b, to) ? -1 : real(a, from, b, to);
}
int unlink(const char *path) {
    REAL(int, "unlink", const char *);
    return hit_at("unlink", AT_FDCWD, path) ? -1 : real(path);
}
int unlinkat(int folder, const char *path, int flags) {
    REAL(int, "unlinkat", int, const char *, int);
    return hit_at("unlink", folder, path) ? -1 : real(folder, path, flags);
}
int rmdir(const char *path) {
    REAL(int, "rmdir", const char *);
    return hit_at("rmdir", AT_FDCWD, path) ? -1 : real(path);
}
int mkdir(const char *path, mode_t how) {
    REAL(int, "mkdir", const char *, mode_t);
    return hit_at("mkdir", AT_FDCWD, path) ? -1 : real(path, how);
}
int symlink(const char *to, const char *path) {
    REAL(int, "symlink", const char *, const char *);
    return hit_at("symlink", AT_FDCWD, path) ? -1 : real(to, path);
}
int open64(const char *path, int flags, ...) {
    REAL(int, "open64", const char *, int, ...);
    va_list rest;
    va_start(rest, flags);
    mode_t how = flags & (O_CREAT | O_TMPFILE) ? va_arg(rest, mode_t) : 0;
    va_end(rest);
    if ((flags & (O_CREAT | O_TRUNC)) && hit_at("create", AT_FDCWD, path)) return -1;
    return real(path, flags, how);
}
