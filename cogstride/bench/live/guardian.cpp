#include "cogstride/bench/live/guardian.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <cstring>

#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

constexpr char life = '.';
constexpr char all_is_well = 'q';

/// It must keep nobody's files, pipes or terminal open.
void keep_only(int pipe, const std::vector<RestWrite>& rests) {
  const int nothing = open("/dev/null", O_RDWR);
  for (const int standard : {0, 1, 2}) dup2(nothing, standard);
  const auto highest = static_cast<int>(sysconf(_SC_OPEN_MAX));
  for (int fd = 3; fd < std::min(highest, 4096); ++fd) {
    bool is_needed = fd == pipe;
    for (const RestWrite& rest : rests) is_needed = is_needed || rest.fd == fd;
    if (!is_needed) close(fd);
  }
}

/// The guardian's whole life. Only calls that are safe after a fork.
[[noreturn]] void guard(int pipe, const std::vector<RestWrite>& rests, int patience_ms) {
  for (const int signal : {SIGINT, SIGTERM, SIGHUP, SIGQUIT, SIGPIPE, SIGTSTP}) std::signal(signal, SIG_IGN);
  setsid();  // a signal to the terminal's group, a hang-up included, does not end it
  prctl(PR_SET_NAME, "cogstride-guard", 0, 0, 0);
  keep_only(pipe, rests);
  for (;;) {
    pollfd waited{pipe, POLLIN, 0};
    const int ready = poll(&waited, 1, patience_ms);
    if (ready < 0 && errno == EINTR) continue;
    if (ready > 0) {
      char said[64];
      const ssize_t got = read(pipe, said, sizeof said);
      if (got < 0 && errno == EINTR) continue;
      if (got > 0) {
        if (std::find(said, said + got, all_is_well) != said + got) _exit(0);
        continue;
      }
    }
    // The pipe broke, or there was no sign of life for too long.
    bool done = true;
    for (const RestWrite& rest : rests) done = write_at_rest(rest) && done;
    _exit(done ? 1 : 2);
  }
}

}  // namespace

Guardian::Guardian(const std::vector<RestWrite>& rests, std::chrono::milliseconds patience) {
  int ends[2];
  if (socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends) != 0)
    throw Error(fmt::format("the guardian cannot be started: {}", std::strerror(errno)));
  process_ = fork();
  if (process_ < 0) {
    close(ends[0]);
    close(ends[1]);
    throw Error(fmt::format("the guardian cannot be started: {}", std::strerror(errno)));
  }
  if (process_ == 0) {
    close(ends[0]);
    guard(ends[1], rests, static_cast<int>(patience.count()));
  }
  close(ends[1]);
  pipe_ = ends[0];
  fcntl(pipe_, F_SETFL, fcntl(pipe_, F_GETFL) | O_NONBLOCK);
}

Guardian::~Guardian() {
  (void)send(pipe_, &all_is_well, 1, MSG_NOSIGNAL);
  close(pipe_);
  int status = 0;
  while (process_ > 0 && waitpid(process_, &status, 0) < 0 && errno == EINTR) {
  }
}

bool Guardian::has_acted() noexcept {
  int status = 0;
  if (process_ > 0 && waitpid(process_, &status, WNOHANG) == process_) {
    process_ = -1;
    has_acted_ = WIFEXITED(status);
  }
  return has_acted_;
}

bool Guardian::beat() noexcept {
  if (send(pipe_, &life, 1, MSG_NOSIGNAL | MSG_DONTWAIT) == 1) return true;
  return errno == EAGAIN || errno == EINTR;
}

}  // namespace cogstride
