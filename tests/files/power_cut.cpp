// Preloaded into a command: at the call of POWER_CUT_AT (of those that write, sync and rename files, from 1)
// the power goes. What was not brought to the disk by then is lost; the process ends with status 99.
#include <dlfcn.h>
#include <fcntl.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <cstdarg>
#include <cstdlib>
#include <cstring>

namespace {

struct OpenFile {
  bool is_used = false;
  off_t synced = 0;
  char path[512] = {};
};
OpenFile files[1024];
// Files that were closed before they were on the disk lose what they have, too.
struct LostFile {
  off_t synced = 0;
  dev_t device = 0;
  ino_t inode = 0;
  int fd = -1;
};
LostFile lost[64];
int lost_count = 0;

template <class Call>
Call next(const char* name) {
  return reinterpret_cast<Call>(dlsym(RTLD_NEXT, name));
}

void cut() {
  for (int fd = 3; fd < 1024; ++fd)
    if (files[fd].is_used && ftruncate(fd, files[fd].synced) != 0) _exit(98);
  for (int i = 0; i < lost_count; ++i)
    if (ftruncate(lost[i].fd, lost[i].synced) != 0) _exit(98);
  _exit(99);
}

void count_call() {
  static const char* const at = std::getenv("POWER_CUT_AT");
  static int calls = 0;
  if (at != nullptr && ++calls == std::atoi(at)) cut();
}

bool is_regular(int fd) {
  struct stat own {};
  return fd >= 3 && fd < 1024 && fstat(fd, &own) == 0 && S_ISREG(own.st_mode);
}

}  // namespace

extern "C" {

int open(const char* path, int flags, ...) {
  va_list rest;
  va_start(rest, flags);
  const mode_t mode = (flags & O_CREAT) != 0 ? va_arg(rest, mode_t) : 0;
  va_end(rest);
  const bool writes = (flags & O_ACCMODE) != O_RDONLY;
  if (writes) count_call();
  const int fd = next<int (*)(const char*, int, ...)>("open")(path, flags, mode);
  if (writes && is_regular(fd)) {
    struct stat own {};
    fstat(fd, &own);
    files[fd] = {true, own.st_size, {}};
  }
  return fd;
}

ssize_t write(int fd, const void* bytes, size_t size) {
  if (is_regular(fd)) count_call();
  return next<ssize_t (*)(int, const void*, size_t)>("write")(fd, bytes, size);
}

int fsync(int fd) {
  count_call();
  const int done = next<int (*)(int)>("fsync")(fd);
  struct stat own {};
  if (done == 0 && is_regular(fd) && fstat(fd, &own) == 0) files[fd].synced = own.st_size;
  return done;
}

int close(int fd) {
  struct stat own {};
  if (fd >= 3 && fd < 1024 && files[fd].is_used) {
    if (fstat(fd, &own) == 0 && own.st_size > files[fd].synced && lost_count < 64)
      lost[lost_count++] = {files[fd].synced, own.st_dev, own.st_ino, dup(fd)};
    files[fd].is_used = false;
  }
  return next<int (*)(int)>("close")(fd);
}

int rename(const char* from, const char* to) {
  count_call();
  return next<int (*)(const char*, const char*)>("rename")(from, to);
}

int unlink(const char* path) {
  count_call();
  return next<int (*)(const char*)>("unlink")(path);
}

long syscall(long number, ...) {
  va_list rest;
  va_start(rest, number);
  long words[6];
  for (long& word : words) word = va_arg(rest, long);
  va_end(rest);
  if (number == SYS_renameat2) count_call();
  return next<long (*)(long, ...)>("syscall")(number, words[0], words[1], words[2], words[3], words[4],
                                              words[5]);
}

}  // extern "C"
