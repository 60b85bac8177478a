#include "playing.hpp"

#include <fmt/format.h>

#include <atomic>
#include <csignal>

#include "progress.hpp"

using namespace cogstride;

namespace {

std::atomic<Bench*> interruptible{nullptr};

void request_stop(int) {
  if (Bench* const bench = interruptible.load()) bench->request_stop();
}

/// As long as something plays, being told to end stops it by the rig's [stops]; a reader that has gone is no
/// reason to end. Afterwards everything ends the program as usual.
class InterruptsNoted {
 public:
  explicit InterruptsNoted(Bench& bench) {
    interruptible.store(&bench);
    for (const int signal : {SIGINT, SIGTERM, SIGHUP}) std::signal(signal, request_stop);
    std::signal(SIGPIPE, SIG_IGN);
  }
  ~InterruptsNoted() {
    for (const int signal : {SIGINT, SIGTERM, SIGHUP, SIGPIPE}) std::signal(signal, SIG_DFL);
    interruptible.store(nullptr);
  }
  InterruptsNoted(const InterruptsNoted&) = delete;
  InterruptsNoted& operator=(const InterruptsNoted&) = delete;
};

}  // namespace

PlayedScript play(Bench& bench, ScriptPlayer& player, const std::string& doing, const ScriptLength& length,
                  std::optional<Time> longest) {
  const InterruptsNoted noted(bench);
  ProgressLine progress;
  unsigned turns = 0;
  return play_script(
      bench, player,
      [&] {
        if (++turns % 256 == 0 && progress.is_due())
          progress.say(progress_words(bench, player, length, doing));
      },
      longest);
}

void require_chips(const std::string& rig_file, const Rig& rig) {
  if (!rig.controller.chips.empty() || !rig.controller.pwm_chips.empty()) return;
  throw Error(
      fmt::format("{}: names no GPIO chip: say which one has its lines, in [controller.gpio.NAME] "
                  "(`cogstride keys gpio` lists what that takes)",
                  rig_file));
}
