#include "cogstride/port/guardian.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <csignal>
#include <cstring>
#include <ctime>

#include "cogstride/port/bell.hpp"
#include "cogstride/port/descriptor.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

constexpr char life = '.';
constexpr char all_is_well = 'q';
constexpr char put_at_rest = 'r';
enum Ended : int { dismissed = 0, all_at_rest = 1, not_all_at_rest = 2 };

constexpr long look_ns = 2'000'000;                  // between two looks whether a process is gone
constexpr std::int64_t longest_end = 2'000'000'000;  // ns, for a process to end

void wait_a_little() {
  const timespec time{0, look_ns};
  nanosleep(&time, nullptr);
}

/// It must keep nobody's files, pipes or terminal open. @param kept  in rising order, all above 2
void keep_only(const std::vector<int>& kept) {
  const int nothing = open("/dev/null", O_RDWR);
  for (const int standard : {STDIN_FILENO, STDOUT_FILENO, STDERR_FILENO}) dup2(nothing, standard);
  unsigned next = STDERR_FILENO + 1;
  for (const int fd : kept) {
    if (static_cast<unsigned>(fd) > next) close_range(next, static_cast<unsigned>(fd) - 1, 0);
    next = static_cast<unsigned>(fd) + 1;
  }
  close_range(next, ~0U, 0);
}

bool write_all(const std::vector<RestWrite>& rests) {
  bool done = true;
  for (const RestWrite& rest : rests) done = write_at_rest(rest) && done;
  return done;
}

/// The program ends, if it has not yet, and then the lines are put at rest.
[[noreturn]] void act(pid_t program, const std::vector<RestWrite>& rests) {
  // As long as it lives it is this one's parent, so the number is nobody else's.
  const std::int64_t until = monotonic_ns() + longest_end;
  while (getppid() == program && monotonic_ns() < until) {
    kill(program, SIGKILL);
    wait_a_little();
  }
  const bool done = write_all(rests);
  // One that the kernel holds on to: what it may still write is written over.
  while (getppid() == program) wait_a_little();
  _exit(write_all(rests) && done ? all_at_rest : not_all_at_rest);
}

/// The guardian's whole life. Only calls that are safe after a fork.
[[noreturn]] void guard(int pipe, pid_t program, const std::vector<RestWrite>& rests,
                        const std::vector<int>& kept, int patience_ms) {
  for (const int signal : {SIGINT, SIGTERM, SIGHUP, SIGQUIT, SIGPIPE, SIGTSTP}) std::signal(signal, SIG_IGN);
  setsid();  // a signal to the terminal's group, a hang-up included, does not end it
  prctl(PR_SET_NAME, "cogstride-guard", 0, 0, 0);
  keep_only(kept);
  for (;;) {
    pollfd waited{pipe, POLLIN, 0};
    const int ready = poll(&waited, 1, patience_ms);
    if (ready < 0 && errno == EINTR) continue;
    if (ready > 0) {
      char said[64];
      const ssize_t got = read(pipe, said, sizeof said);
      if (got < 0 && errno == EINTR) continue;
      if (got > 0) {
        if (std::find(said, said + got, all_is_well) != said + got) _exit(dismissed);
        if (std::find(said, said + got, put_at_rest) != said + got)
          _exit(write_all(rests) ? all_at_rest : not_all_at_rest);
        (void)send(pipe, &life, 1, MSG_NOSIGNAL | MSG_DONTWAIT);
        continue;
      }
    }
    act(program, rests);  // the pipe broke, or there was no sign of life for too long
  }
}

}  // namespace

Guardian::Guardian(const std::vector<RestWrite>& rests, std::chrono::milliseconds patience)
    : patience_(patience), answered_ns_(monotonic_ns()) {
  const auto refuse = [] {
    throw Error(fmt::format("the guardian cannot be started: {}", std::strerror(errno)));
  };
  int ends[2];
  if (socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends) != 0) refuse();
  for (int& end : ends) end = above_standard(end);
  std::vector<int> kept{ends[1]};
  for (const RestWrite& rest : rests) kept.push_back(rest.fd);
  std::sort(kept.begin(), kept.end());
  const pid_t program = getpid();
  process_ = fork();
  if (process_ < 0) {
    const int why = errno;
    for (const int end : ends) close(end);
    errno = why;
    refuse();
  }
  if (process_ == 0) guard(ends[1], program, rests, kept, static_cast<int>(patience.count()));
  close(ends[1]);
  pipe_ = ends[0];
}

Guardian::~Guardian() {
  dismiss();
}

Guardian::State Guardian::beat() noexcept {
  if (process_ < 0) return State::ended;
  char answers[64];
  const ssize_t got = recv(pipe_, answers, sizeof answers, MSG_DONTWAIT);
  if (got > 0) answered_ns_ = monotonic_ns();
  if (got == 0) return State::ended;
  if (send(pipe_, &life, 1, MSG_NOSIGNAL | MSG_DONTWAIT) != 1 && errno != EAGAIN && errno != EINTR)
    return State::ended;
  const std::int64_t patience_ns = std::chrono::nanoseconds(patience_).count();
  return monotonic_ns() - answered_ns_ > patience_ns ? State::silent : State::well;
}

int Guardian::end_with(char word) noexcept {
  if (process_ < 0) return -1;
  (void)send(pipe_, &word, 1, MSG_NOSIGNAL | MSG_DONTWAIT);
  const std::int64_t until = monotonic_ns() + longest_end;
  int status = 0;
  while (waitpid(process_, &status, WNOHANG) == 0) {
    if (monotonic_ns() > until) kill(process_, SIGKILL);  // somebody has stopped it
    wait_a_little();
  }
  process_ = -1;
  close(pipe_);
  pipe_ = -1;
  return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

void Guardian::dismiss() noexcept {
  (void)end_with(all_is_well);
}

bool Guardian::puts_at_rest() noexcept {
  return end_with(put_at_rest) == all_at_rest;
}

}  // namespace cogstride
