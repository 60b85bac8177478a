#include "playing.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
#include <iostream>

#include "cogstride/files/output_file.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/session/live_run.hpp"
#include "progress.hpp"

using namespace cogstride;

namespace {

std::atomic<Bench*> interruptible{nullptr};
std::atomic<bool> interrupted{false};

void request_stop(int) {
  interrupted.store(true);
  if (Bench* const bench = interruptible.load()) bench->request_stop();
}

}  // namespace

InterruptsNoted::InterruptsNoted(Bench& bench) : InterruptsNoted() {
  interruptible.store(&bench);
}

InterruptsNoted::InterruptsNoted() {
  for (const int signal : {SIGINT, SIGTERM, SIGHUP}) std::signal(signal, request_stop);
  std::signal(SIGPIPE, SIG_IGN);
}

InterruptsNoted::~InterruptsNoted() {
  for (const int signal : {SIGINT, SIGTERM, SIGHUP, SIGPIPE}) std::signal(signal, SIG_DFL);
  interruptible.store(nullptr);
}

bool was_interrupted() {
  return interrupted.load();
}

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
  const Controller& controller = rig.controller;
  if (!controller.chips.empty() || !controller.pwm_chips.empty() || controller.link || controller.bus) return;
  if (rig.controller.small_chip)
    throw Error(
        fmt::format("{}: its controller is a small chip, and no link to it is said: which port it is behind, "
                    "in [controller.link] (docs/link.md)",
                    rig_file));
  throw Error(
      fmt::format("{}: names no GPIO chip: say which one has its lines, in [controller.gpio.NAME] "
                  "(`cogstride keys gpio` lists what that takes)",
                  rig_file));
}

bool says_yes(const std::string& question, const std::string& nobody) {
  if (isatty(STDIN_FILENO) == 0) throw Error(nobody);
  fmt::print(stderr, "{} (yes/no) ", question);
  std::string answer;
  std::getline(std::cin, answer);
  return answer == "yes" || answer == "y";
}

bool is_agreed(const std::string& rig_file, bool yes, const std::string& what) {
  const DrivenRigs driven;
  const std::uint64_t mark = fingerprint(read_text_file(rig_file));
  if (!yes && !driven.has(mark)) {
    fmt::print(stderr, "{} has not been driven before, as it is now. With power on:\n{}", rig_file, what);
    if (!says_yes(
            "Rehearsed, and nobody's fingers in it? Drive it",
            "nobody can be asked here whether that may be: say --yes, or drive it once from a terminal"))
      return false;
  }
  driven.add(mark);
  return true;
}
