/* Counts what a process asks the system to change below one folder, and at the n-th such call kills the process,
   lets the call fail, or does as a power cut may: everything that was not synced is lost, then the process dies.
   Loaded before the C library (LD_PRELOAD), so that it stands in the way of Python, SQLite and all. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/types.h>
#include <sys/uio.h>
#include <unistd.h>

static char under[PATH_MAX];
static long count, at;
static int mode; /* 0: only count; -1: kill; -2: lose what is not synced, then kill; above 0: fail with this errno */
static char last[128];

void fault_arm(const char *folder, long number, int how) {
    strncpy(under, folder, sizeof under - 1);
    count = 0;
    at = number;
    mode = how;
}
long fault_count(void) { return count; }
const char *fault_last(void) { return last; }

#define REAL(type, name, ...) type (*real)(__VA_ARGS__) = (type (*)(__VA_ARGS__))dlsym(RTLD_NEXT, name)
#define SUPPOSE_SOME(table, size) (sizeof table / sizeof *table > (size_t)(size))

/* -- what is not synced yet: data of files beyond what was, and names that came or went since their folder was */

static struct { dev_t device; ino_t inode; int fd; off_t size; } dirty[512];
static int dirties;

enum { CAME, WENT, FOLDER_CAME, FOLDER_WENT, RENAMED };
static struct { int what; char from[512], path[512], backup[512]; } names[4096];
static int changes, backups;

static int place_of(int fd, char *path, size_t size) {
    char link[64];
    snprintf(link, sizeof link, "/proc/self/fd/%d", fd);
    ssize_t length = readlink(link, path, size - 1);
    if (length <= 0) return 0;
    path[length] = 0;
    return 1;
}

static int is_ours(const char *path) { return under[0] && strncmp(path, under, strlen(under)) == 0; }

static void will_write(int fd) {
    struct stat status;
    char path[PATH_MAX];
    if (mode != -2 || fstat(fd, &status) || !S_ISREG(status.st_mode)) return;
    if (!place_of(fd, path, sizeof path) || !is_ours(path)) return;
    for (int i = 0; i < dirties; i++)
        if (dirty[i].inode == status.st_ino && dirty[i].device == status.st_dev) return;
    if (!SUPPOSE_SOME(dirty, dirties)) abort();
    dirty[dirties].device = status.st_dev;
    dirty[dirties].inode = status.st_ino;
    dirty[dirties].size = status.st_size;
    char again[64];
    snprintf(again, sizeof again, "/proc/self/fd/%d", fd);
    REAL(int, "open64", const char *, int, ...);
    dirty[dirties].fd = real(again, O_RDWR | O_CLOEXEC);
    if (dirty[dirties].fd >= 0) dirties++;
}

static void forget_names_in(const char *folder) {
    size_t length = strlen(folder);
    int kept = 0;
    for (int i = 0; i < changes; i++) {
        const char *slash = strrchr(names[i].path, '/');
        int is_here = (size_t)(slash - names[i].path) == length && strncmp(names[i].path, folder, length) == 0;
        if (!is_here) names[kept++] = names[i];
    }
    changes = kept;
}

static void was_synced(int fd, int all) {
    struct stat status;
    char path[PATH_MAX];
    if (mode != -2 || fstat(fd, &status) || !place_of(fd, path, sizeof path)) return;
    if (all) changes = 0;
    else if (S_ISDIR(status.st_mode)) forget_names_in(path);
    for (int i = 0; i < dirties;) {
        if (all || (dirty[i].inode == status.st_ino && dirty[i].device == status.st_dev)) {
            close(dirty[i].fd);
            dirty[i] = dirty[--dirties];
        } else i++;
    }
}

static void will_change(int what, const char *from, const char *path) {
    if (mode != -2 || !is_ours(path)) return;
    struct stat status;
    int is_there = lstat(path, &status) == 0;
    if (what == CAME && is_there) return;
    if (what == WENT && is_there && S_ISDIR(status.st_mode)) what = FOLDER_WENT;
    if ((what == WENT || what == FOLDER_WENT || what == FOLDER_CAME) && is_there == (what == FOLDER_CAME)) return;
    if (!SUPPOSE_SOME(names, changes)) abort();
    names[changes].what = what;
    snprintf(names[changes].from, sizeof names->from, "%s", from);
    snprintf(names[changes].path, sizeof names->path, "%s", path);
    names[changes].backup[0] = 0;
    if ((what == WENT || what == RENAMED) && is_there) {
        snprintf(names[changes].backup, sizeof names->backup, "%.400s.lost-%d-%d", under, (int)getpid(), backups++);
        REAL(int, "linkat", int, const char *, int, const char *, int);
        if (real(AT_FDCWD, path, AT_FDCWD, names[changes].backup, 0)) abort();
    }
    changes++;
}

void fault_lose(void) {
    REAL(int, "rename", const char *, const char *);
    int (*gone)(const char *) = (int (*)(const char *))dlsym(RTLD_NEXT, "unlink");
    int (*folder_gone)(const char *) = (int (*)(const char *))dlsym(RTLD_NEXT, "rmdir");
    int (*folder)(const char *, mode_t) = (int (*)(const char *, mode_t))dlsym(RTLD_NEXT, "mkdir");
    int (*cut)(int, off64_t) = (int (*)(int, off64_t))dlsym(RTLD_NEXT, "ftruncate64");
    struct stat status;
    for (int i = changes - 1; i >= 0; i--) {
        if (names[i].what == CAME) gone(names[i].path);
        else if (names[i].what == FOLDER_CAME) folder_gone(names[i].path);
        else if (names[i].what == FOLDER_WENT) folder(names[i].path, 0755);
        else {
            if (names[i].what == RENAMED) real(names[i].path, names[i].from);
            if (names[i].backup[0]) real(names[i].backup, names[i].path);
        }
    }
    for (int i = 0; i < dirties; i++)
        if (!fstat(dirty[i].fd, &status) && status.st_size > dirty[i].size) cut(dirty[i].fd, dirty[i].size);
}

/* Nonzero when the call is to fail; does not return when the process is to die. */
static int hit(const char *call, const char *path) {
    if (!is_ours(path)) return 0;
    if (++count != at || mode == 0) return 0;
    if (mode < 0) {
        if (mode == -2) fault_lose();
        kill(getpid(), SIGKILL);
        pause();
    }
    snprintf(last, sizeof last, "%s %.90s", call, path + strlen(under));
    errno = mode;
    return 1;
}

static int hit_fd(const char *call, int fd) {
    char path[PATH_MAX];
    return place_of(fd, path, sizeof path) && hit(call, path);
}

static int full_path(int folder, const char *name, char *path, size_t size) {
    char base[PATH_MAX];
    if (name[0] == '/') return snprintf(path, size, "%s", name) > 0;
    if (folder == AT_FDCWD ? !getcwd(base, sizeof base) : !place_of(folder, base, sizeof base)) return 0;
    return snprintf(path, size, "%s/%s", base, name) > 0;
}

static int hit_at(const char *call, int what, int from_folder, const char *from, int folder, const char *name) {
    char path[PATH_MAX * 2], old[PATH_MAX * 2] = "";
    if (!full_path(folder, name, path, sizeof path)) return 0;
    if (from) full_path(from_folder, from, old, sizeof old);
    if (hit(call, path)) return 1;
    will_change(what, old, path);
    return 0;
}

ssize_t write(int fd, const void *data, size_t size) {
    REAL(ssize_t, "write", int, const void *, size_t);
    if (hit_fd("write", fd)) return -1;
    will_write(fd);
    return real(fd, data, size);
}
ssize_t writev(int fd, const struct iovec *parts, int number) {
    REAL(ssize_t, "writev", int, const struct iovec *, int);
    if (hit_fd("write", fd)) return -1;
    will_write(fd);
    return real(fd, parts, number);
}
ssize_t pwrite64(int fd, const void *data, size_t size, off64_t offset) {
    REAL(ssize_t, "pwrite64", int, const void *, size_t, off64_t);
    if (hit_fd("write", fd)) return -1;
    will_write(fd);
    return real(fd, data, size, offset);
}
int fsync(int fd) {
    REAL(int, "fsync", int);
    if (hit_fd("fsync", fd)) return -1;
    was_synced(fd, 0);
    return real(fd);
}
int fdatasync(int fd) {
    REAL(int, "fdatasync", int);
    if (hit_fd("fsync", fd)) return -1;
    was_synced(fd, 0);
    return real(fd);
}
int syncfs(int fd) {
    REAL(int, "syncfs", int);
    if (hit_fd("fsync", fd)) return -1;
    was_synced(fd, 1);
    return real(fd);
}
int ftruncate64(int fd, off64_t size) {
    REAL(int, "ftruncate64", int, off64_t);
    if (hit_fd("truncate", fd)) return -1;
    will_write(fd);
    return real(fd, size);
}
int rename(const char *from, const char *to) {
    REAL(int, "rename", const char *, const char *);
    return hit_at("rename", RENAMED, AT_FDCWD, from, AT_FDCWD, to) ? -1 : real(from, to);
}
int renameat(int a, const char *from, int b, const char *to) {
    REAL(int, "renameat", int, const char *, int, const char *);
    return hit_at("rename", RENAMED, a, from, b, to) ? -1 : real(a, from, b, to);
}
int link(const char *from, const char *to) {
    REAL(int, "link", const char *, const char *);
    return hit_at("link", CAME, AT_FDCWD, 0, AT_FDCWD, to) ? -1 : real(from, to);
}
int linkat(int a, const char *from, int b, const char *to, int flags) {
    REAL(int, "linkat", int, const char *, int, const char *, int);
    return hit_at("link", CAME, AT_FDCWD, 0, b, to) ? -1 : real(a, from, b, to, flags);
}
int unlink(const char *path) {
    REAL(int, "unlink", const char *);
    return hit_at("unlink", WENT, AT_FDCWD, 0, AT_FDCWD, path) ? -1 : real(path);
}
int unlinkat(int folder, const char *path, int flags) {
    REAL(int, "unlinkat", int, const char *, int);
    return hit_at("unlink", WENT, AT_FDCWD, 0, folder, path) ? -1 : real(folder, path, flags);
}
int rmdir(const char *path) {
    REAL(int, "rmdir", const char *);
    return hit_at("rmdir", FOLDER_WENT, AT_FDCWD, 0, AT_FDCWD, path) ? -1 : real(path);
}
int mkdir(const char *path, mode_t how) {
    REAL(int, "mkdir", const char *, mode_t);
    return hit_at("mkdir", FOLDER_CAME, AT_FDCWD, 0, AT_FDCWD, path) ? -1 : real(path, how);
}
int mkdirat(int folder, const char *path, mode_t how) {
    REAL(int, "mkdirat", int, const char *, mode_t);
    return hit_at("mkdir", FOLDER_CAME, AT_FDCWD, 0, folder, path) ? -1 : real(folder, path, how);
}
int symlinkat(const char *to, int folder, const char *path) {
    REAL(int, "symlinkat", const char *, int, const char *);
    return hit_at("symlink", CAME, AT_FDCWD, 0, folder, path) ? -1 : real(to, folder, path);
}
int openat64(int folder, const char *path, int flags, ...) {
    REAL(int, "openat64", int, const char *, int, ...);
    va_list rest;
    va_start(rest, flags);
    mode_t how = flags & (O_CREAT | O_TMPFILE) ? va_arg(rest, mode_t) : 0;
    va_end(rest);
    if ((flags & (O_CREAT | O_TRUNC)) && hit_at("create", CAME, AT_FDCWD, 0, folder, path)) return -1;
    return real(folder, path, flags, how);
}
int symlink(const char *to, const char *path) {
    REAL(int, "symlink", const char *, const char *);
    return hit_at("symlink", CAME, AT_FDCWD, 0, AT_FDCWD, path) ? -1 : real(to, path);
}
int open64(const char *path, int flags, ...) {
    REAL(int, "open64", const char *, int, ...);
    va_list rest;
    va_start(rest, flags);
    mode_t how = flags & (O_CREAT | O_TMPFILE) ? va_arg(rest, mode_t) : 0;
    va_end(rest);
    if ((flags & (O_CREAT | O_TRUNC)) && hit_at("create", CAME, AT_FDCWD, 0, AT_FDCWD, path)) return -1;
    return real(path, flags, how);
}
