// `cogstride operate` on a pseudo-terminal: what keys do, and how it leaves the terminal behind.
#include <gtest/gtest.h>
#include <poll.h>
#include <pty.h>
#include <sys/wait.h>
#include <termios.h>
#include <unistd.h>
#include <utmp.h>

#include <chrono>
#include <csignal>
#include <cstring>
#include <string>
#include <thread>

#include "support/demo_rig.hpp"

namespace {

using Clock = std::chrono::steady_clock;

/// The command on a terminal of 80 columns and 24 rows.
class OnATerminal {
 public:
  OnATerminal() {
    // What the terminal is before anybody has changed it; the slave stays open here, so that it can be asked.
    winsize size{24, 80, 0, 0};
    if (openpty(&master_, &slave_, nullptr, nullptr, &size) != 0) std::abort();
    tcgetattr(slave_, &before_);
    child_ = fork();
    if (child_ == 0) {
      close(master_);
      login_tty(dup(slave_));
      setenv("TERM", "xterm", 1);
      execl(COGSTRIDE_TOOL, COGSTRIDE_TOOL, "operate", cogstride::testing_support::demo_rig_path, "--only",
            "traverse,feeder", nullptr);
      _exit(127);
    }
  }
  ~OnATerminal() {
    if (child_ > 0) kill(child_, SIGKILL), waitpid(child_, nullptr, 0);
    hang_up();
    if (slave_ >= 0) close(slave_);
  }
  OnATerminal(const OnATerminal&) = delete;
  OnATerminal& operator=(const OnATerminal&) = delete;

  void press(const std::string& keys) {
    EXPECT_EQ(write(master_, keys.data(), keys.size()), static_cast<ssize_t>(keys.size()));
  }
  /// Whether that has been drawn since it was asked for last.
  bool shows(const std::string& text, int seconds = 30) {
    for (const auto until = Clock::now() + std::chrono::seconds(seconds); Clock::now() < until;) {
      read_for(50);
      if (const std::size_t at = drawn_.find(text, seen_); at != std::string::npos) {
        seen_ = at;
        return true;
      }
    }
    return false;
  }
  void read_for(int ms) {
    pollfd in{master_, POLLIN, 0};
    char buffer[4096];
    while (poll(&in, 1, ms) > 0) {
      const ssize_t count = read(master_, buffer, sizeof buffer);
      if (count <= 0) return;
      drawn_.append(buffer, static_cast<std::size_t>(count));
      ms = 0;
    }
  }
  /// Until that is shown: a computer that others share may stand still for a while, and then a hold is over.
  bool shows_while_held(const std::string& key, const std::string& text, int seconds = 30) {
    for (const auto until = Clock::now() + std::chrono::seconds(seconds); Clock::now() < until;) {
      press(key);
      read_for(30);
      if (drawn_.find(text, seen_) != std::string::npos) return shows(text);
    }
    return false;
  }
  void signal(int which) const { kill(child_, which); }
  void hang_up() {
    if (master_ >= 0) close(master_);
    master_ = -1;
  }
  /// -1 while it has not ended. A signal: 128 and its number.
  int status(int seconds, bool reads = true) {
    for (const auto until = Clock::now() + std::chrono::seconds(seconds); Clock::now() < until;) {
      if (reads && master_ >= 0) read_for(20);
      int status = 0;
      if (waitpid(child_, &status, WNOHANG) == child_) {
        child_ = -1;
        return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
      }
      if (!reads || master_ < 0) std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
    return -1;
  }
  [[nodiscard]] bool is_as_before() const {
    termios now{};
    tcgetattr(slave_, &now);
    return now.c_lflag == before_.c_lflag && now.c_iflag == before_.c_iflag && now.c_oflag == before_.c_oflag;
  }
  /// The screen that was there is shown again.
  [[nodiscard]] bool left_its_screen() const {
    const std::size_t entered = drawn_.rfind("\x1b[?1049h");
    const std::size_t left = drawn_.rfind("\x1b[?1049l");
    return entered != std::string::npos && left != std::string::npos && entered < left;
  }

 private:
  int master_ = -1;
  int slave_ = -1;
  pid_t child_ = -1;
  termios before_{};
  std::string drawn_;
  std::size_t seen_ = 0;
};

const std::string right = "\x1bOC";

TEST(Terminal, KeysHomeNudgeHoldStopAndEnd) {
  OnATerminal at;
  ASSERT_TRUE(at.shows("Bobbin bench"));
  EXPECT_TRUE(at.shows("not homed"));
  at.press("o");
  EXPECT_TRUE(at.shows("done: home traverse", 90));
  at.press(right);
  EXPECT_TRUE(at.shows("done: nudge traverse by 1 mm"));
  EXPECT_TRUE(at.shows_while_held(right, "jog towards 118 mm")) << "a key that comes again and again is held";
  at.press("t40 mm\r");
  EXPECT_TRUE(at.shows("done: move traverse to 40 mm")) << "once the hold has ended by itself";
  at.press(":switch lamp on\r");
  EXPECT_TRUE(at.shows("done: switch lamp on"));
  at.press("l");
  EXPECT_TRUE(at.shows("done: press l")) << "as the rig binds it";
  at.press(":spin feeder at 40 % until stopped\r");
  EXPECT_TRUE(at.shows("done: spin feeder"));
  at.press(" ");
  EXPECT_TRUE(at.shows("EVERYTHING IS STOPPED: c takes orders again"));
  at.press("o");
  EXPECT_TRUE(at.shows("refused: home traverse: everything is stopped"));
  at.press("?");
  EXPECT_TRUE(at.shows("stop everything, at once"));
  at.press("xc");
  EXPECT_TRUE(at.shows("done: clear"));
  at.press("q");
  EXPECT_EQ(at.status(30), 0);
  EXPECT_TRUE(at.is_as_before());
  EXPECT_TRUE(at.left_its_screen());
}

TEST(Terminal, IsRestoredOnEveryWayOut) {
  for (const int signal : {SIGINT, SIGTERM, SIGHUP, SIGSEGV, SIGABRT}) {
    OnATerminal at;
    ASSERT_TRUE(at.shows("Bobbin bench"));
    EXPECT_FALSE(at.is_as_before());
    at.signal(signal);
    const int status = at.status(30);
    EXPECT_NE(status, -1) << "it ends by " << strsignal(signal);
    EXPECT_NE(status, 0) << strsignal(signal);
    EXPECT_TRUE(at.is_as_before()) << strsignal(signal);
    EXPECT_TRUE(at.left_its_screen()) << strsignal(signal);
  }
}

TEST(Terminal, OneThatIsBlockedOrGoneHoldsUpNothing) {
  OnATerminal blocked;
  ASSERT_TRUE(blocked.shows("Bobbin bench"));
  // Nobody reads what it draws any more.
  std::this_thread::sleep_for(std::chrono::seconds(2));
  blocked.signal(SIGTERM);
  EXPECT_NE(blocked.status(30, false), -1);

  OnATerminal gone;
  ASSERT_TRUE(gone.shows("Bobbin bench"));
  gone.hang_up();
  EXPECT_NE(gone.status(30), -1);
}

}  // namespace
