// The guardian against real processes: a program that dies, that hangs, and one that has stopped its
// guardian. A file stands for the lines.
#include "cogstride/port/guardian.hpp"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/mman.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <filesystem>
#include <fstream>

#include "cogstride/port/bell.hpp"
#include "cogstride/port/descriptor.hpp"

namespace cogstride::guardian_test {
namespace {

using std::chrono::milliseconds;

/// A line that is a file: "on" or "off".
class FileLine {
 public:
  FileLine() : fd_(above_standard(memfd_create("line", 0))) { write("on "); }
  ~FileLine() { close(fd_); }
  FileLine(const FileLine&) = delete;
  FileLine& operator=(const FileLine&) = delete;

  void write(const char* text) const { EXPECT_EQ(pwrite(fd_, text, 3, 0), 3); }
  [[nodiscard]] std::string text() const {
    char text[4]{};
    EXPECT_EQ(pread(fd_, text, 3, 0), 3);
    return text;
  }
  [[nodiscard]] RestWrite rest() const {
    RestWrite rest;
    rest.fd = fd_;
    rest.text = {'o', 'f', 'f'};
    rest.text_size = 3;
    return rest;
  }
  [[nodiscard]] int fd() const { return fd_; }

 private:
  int fd_;
};

void sleep_for(milliseconds time) {
  usleep(static_cast<useconds_t>(time.count() * 1000));
}

/// Runs in a process of its own, which it must not leave by returning.
template <class Program>
pid_t start(Program program) {
  const pid_t process = fork();
  if (process == 0) {
    program();
    _exit(9);
  }
  return process;
}

bool comes_to(const FileLine& line, const char* text, milliseconds within) {
  const std::int64_t until = monotonic_ns() + std::chrono::nanoseconds(within).count();
  while (line.text() != text && monotonic_ns() < until) sleep_for(milliseconds(2));
  return line.text() == text;
}

pid_t only_child() {
  std::ifstream children("/proc/self/task/" + std::to_string(getpid()) + "/children");
  pid_t child = -1;
  children >> child;
  return child;
}

TEST(Guardian, PutsLinesAtRestWhenTheProgramDies) {
  const FileLine line;
  const pid_t program = start([&] {
    const Guardian guardian({line.rest()}, milliseconds(300));
    kill(getpid(), SIGKILL);
  });
  waitpid(program, nullptr, 0);
  EXPECT_TRUE(comes_to(line, "off", milliseconds(200)));
}

// It writes on without a sign of life: nothing may be written after the guardian has.
TEST(Guardian, EndsAProgramThatHangsBeforeItWrites) {
  const FileLine line;
  const pid_t program = start([&] {
    const Guardian guardian({line.rest()}, milliseconds(100));
    for (;;) line.write("on ");
  });
  int status = 0;
  waitpid(program, &status, 0);
  EXPECT_TRUE(WIFSIGNALED(status) && WTERMSIG(status) == SIGKILL);
  EXPECT_TRUE(comes_to(line, "off", milliseconds(1000)));
  sleep_for(milliseconds(50));
  EXPECT_EQ(line.text(), "off");
}

TEST(Guardian, EndsAProgramThatWasStopped) {
  const FileLine line;
  const pid_t program = start([&] {
    const Guardian guardian({line.rest()}, milliseconds(100));
    kill(getpid(), SIGSTOP);
  });
  EXPECT_TRUE(comes_to(line, "off", milliseconds(2000)));
  int status = 0;
  waitpid(program, &status, 0);
  EXPECT_TRUE(WIFSIGNALED(status));
}

// A program that was started without standard streams would otherwise have its lines' files under their
// numbers.
TEST(Guardian, WorksForAProgramWithoutStandardStreams) {
  const pid_t program = start([&] {
    for (const int standard : {0, 1, 2}) close(standard);
    int shared = memfd_create("line", 0);  // takes number 0
    shared = above_standard(shared);
    const FileLine line;
    RestWrite rest = line.rest();
    const pid_t driven = start([&] {
      const Guardian guardian({rest}, milliseconds(300));
      kill(getpid(), SIGKILL);
    });
    waitpid(driven, nullptr, 0);
    _exit(rest.fd > 2 && comes_to(line, "off", milliseconds(500)) ? 0 : 1);
  });
  int status = 0;
  waitpid(program, &status, 0);
  EXPECT_EQ(status, 0);
}

TEST(Guardian, LeavesLinesAloneWhenItIsDismissed) {
  const FileLine line;
  {
    Guardian guardian({line.rest()}, milliseconds(300));
    for (int i = 0; i < 5; ++i) {
      EXPECT_EQ(guardian.beat(), Guardian::State::well);
      sleep_for(milliseconds(20));
    }
  }
  EXPECT_EQ(line.text(), "on ");
  EXPECT_EQ(only_child(), -1) << "it has gone";
}

TEST(Guardian, PutsAtRestWhatItIsAskedTo) {
  const FileLine line;
  Guardian guardian({line.rest()}, milliseconds(300));
  EXPECT_TRUE(guardian.puts_at_rest());
  EXPECT_EQ(line.text(), "off");
  // One that does not take it is no success.
  RestWrite refused = line.rest();
  refused.fd = above_standard(open("/dev/full", O_WRONLY | O_CLOEXEC));
  Guardian other({refused, line.rest()}, milliseconds(300));
  line.write("on ");
  EXPECT_FALSE(other.puts_at_rest());
  EXPECT_EQ(line.text(), "off") << "the others are put at rest all the same";
  close(refused.fd);
}

TEST(Guardian, ThatWasStoppedOrEndedIsNoticed) {
  const FileLine line;
  for (const int signal : {SIGSTOP, SIGKILL}) {
    Guardian guardian({line.rest()}, milliseconds(100));
    EXPECT_EQ(guardian.beat(), Guardian::State::well);
    sleep_for(milliseconds(20));
    kill(only_child(), signal);
    const std::int64_t until = monotonic_ns() + 1'000'000'000;
    Guardian::State state = Guardian::State::well;
    while (state == Guardian::State::well && monotonic_ns() < until) {
      sleep_for(milliseconds(20));
      state = guardian.beat();
    }
    EXPECT_EQ(state, signal == SIGSTOP ? Guardian::State::silent : Guardian::State::ended);
    guardian.dismiss();
    EXPECT_EQ(only_child(), -1);
  }
  EXPECT_EQ(line.text(), "on ");
}

}  // namespace
}  // namespace cogstride::guardian_test
