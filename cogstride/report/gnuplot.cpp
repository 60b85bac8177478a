#include "cogstride/report/gnuplot.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <spawn.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstring>
#include <thread>

#include "cogstride/files/output_file.hpp"
#include "cogstride/quantity/error.hpp"
#include "cogstride/rig/diagnostic.hpp"

namespace cogstride {
namespace {

using Clock = std::chrono::steady_clock;

constexpr const char* packages = "Debian packages gnuplot-nox and fonts-dejavu-core";
constexpr auto patience = std::chrono::seconds(60);  // the largest figure takes a few
constexpr auto between_looks = std::chrono::milliseconds(5);

bool ends_with(std::string_view text, std::string_view ending) {
  return text.size() >= ending.size() && text.substr(text.size() - ending.size()) == ending;
}

[[noreturn]] void not_drawn(const std::string& why) {
  throw Error(fmt::format("the figure was not drawn: {}", why));
}

/// gnuplot with its input in our hands. Without a shell, and gone when this is.
class Gnuplot {
 public:
  Gnuplot() {
    int ends[2];
    said_ = memfd_create("said", MFD_CLOEXEC);
    if (said_ < 0 || socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends) != 0)
      not_drawn(fmt::format("gnuplot cannot be started: {}", std::strerror(errno)));
    in_ = ends[0];
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, ends[1], STDIN_FILENO);
    posix_spawn_file_actions_adddup2(&actions, said_, STDERR_FILENO);
    posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, "/dev/null", O_WRONLY, 0);
    char name[] = "gnuplot";
    char* const arguments[] = {name, nullptr};
    const int failed = posix_spawnp(&process_, name, &actions, nullptr, arguments, environ);
    posix_spawn_file_actions_destroy(&actions);
    close(ends[1]);
    if (failed == 0) return;
    process_ = -1;
    close(in_);
    close(said_);
    not_drawn(failed == ENOENT ? fmt::format("gnuplot is missing ({})", packages)
                               : fmt::format("gnuplot cannot be started: {}", std::strerror(failed)));
  }
  ~Gnuplot() {
    if (in_ >= 0) close(in_);
    close(said_);
    if (process_ < 0) return;
    kill(process_, SIGKILL);
    while (waitpid(process_, nullptr, 0) < 0 && errno == EINTR) {
    }
  }
  Gnuplot(const Gnuplot&) = delete;
  Gnuplot& operator=(const Gnuplot&) = delete;

  /// @throws Error when it fails, or does not end
  void run(std::string_view commands) {
    const bool has_read_all = feed(commands);
    close(std::exchange(in_, -1));  // the end of its input
    int status = 0;
    while (waitpid(process_, &status, WNOHANG) == 0) {
      if (Clock::now() > until_) not_drawn(fmt::format("gnuplot did not end within {} s", patience.count()));
      std::this_thread::sleep_for(between_looks);
    }
    process_ = -1;
    if (status != 0 || !has_read_all)
      not_drawn(fmt::format("gnuplot failed{} ({})", what_it_said(), packages));
  }

 private:
  /// @return whether it took everything
  bool feed(std::string_view commands) {
    while (!commands.empty()) {
      pollfd waited{in_, POLLOUT, 0};
      const auto left = std::chrono::duration_cast<std::chrono::milliseconds>(until_ - Clock::now()).count();
      const int ready = poll(&waited, 1, static_cast<int>(std::max<std::int64_t>(0, left)));
      if (ready < 0 && errno == EINTR) continue;
      if (ready == 0) not_drawn(fmt::format("gnuplot did not read within {} s", patience.count()));
      const ssize_t sent = send(in_, commands.data(), commands.size(), MSG_NOSIGNAL | MSG_DONTWAIT);
      if (sent < 0 && (errno == EAGAIN || errno == EINTR)) continue;
      if (sent < 0) return false;
      commands.remove_prefix(static_cast<std::size_t>(sent));
    }
    return true;
  }

  /// The line in which gnuplot says what is wrong: the last one that has letters.
  [[nodiscard]] std::string what_it_said() const {
    char text[4096];
    const ssize_t size = pread(said_, text, sizeof text, 0);
    std::string_view all(text, static_cast<std::size_t>(std::max<ssize_t>(0, size)));
    while (!all.empty() && std::strchr(" \n\t^", all.back()) != nullptr) all.remove_suffix(1);
    const std::size_t line = all.rfind('\n');
    const std::string_view last = line == std::string_view::npos ? all : all.substr(line + 1);
    return last.empty() ? std::string() : fmt::format(": {}", last);
  }

  int in_ = -1;
  int said_ = -1;
  pid_t process_ = -1;
  Clock::time_point until_ = Clock::now() + patience;
};

/// gnuplot does not notice a disk that is full: a figure must have its end.
bool is_whole_figure(const std::string& path, const std::string& part) {
  const std::string figure = read_text_file(part);
  if (ends_with(path, ".png")) return ends_with(figure, std::string_view("IEND\xae\x42\x60\x82", 8));
  const std::size_t end = figure.find_last_not_of(" \n\r\t");
  return end != std::string::npos && ends_with(std::string_view(figure).substr(0, end + 1), "</svg>");
}

}  // namespace

bool is_figure_name(const std::string& path) {
  return ends_with(path, ".png") || ends_with(path, ".svg");
}

void draw_figure(const std::string& path,
                 const std::function<std::string(const std::string&, const std::string&)>& commands) {
  if (!is_figure_name(path)) throw Error(fmt::format("{}: a figure's name ends in .png or .svg", path));
  const std::string terminal = ends_with(path, ".png")
                                   ? "pngcairo size 1280,800 font 'DejaVu Sans,11' background '#ffffff'"
                                   : "svg size 1280,800 font 'DejaVu Sans,11' background '#ffffff'";
  OutputFile file(path);
  Gnuplot().run(commands(terminal, file.part_path()));
  if (!is_whole_figure(path, file.part_path()))
    not_drawn(fmt::format("{}: gnuplot left a part of it alone: is the disk full?", path));
  file.commit();
}

std::string gnuplot_text(const std::string& text) {
  // In single quotes gnuplot takes everything as it stands; in double ones it would run what is in
  // backquotes.
  std::string result = "'";
  for (const char c : text) {
    if (c == '\'') result += '\'';
    result += static_cast<unsigned char>(c) < ' ' ? ' ' : c;
  }
  return result + "'";
}

}  // namespace cogstride
