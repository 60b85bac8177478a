#include "playing.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <csignal>
#include <cstdlib>
#include <memory>

#include "cogstride/motion/mover.hpp"
#include "cogstride/script/verbs/verb.hpp"
#include "cogstride/trace/trace.hpp"
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

/// What moves is asked to do now; each by what is put on its lines.
std::string figures_now(const Bench& bench, Tick now) {
  std::string words;
  for (const auto& mover : bench.movers()) {
    if (mover->has_ended() && !mover->is_driven(now)) continue;
    const std::string asked = mover->status(now).asked;
    if (!asked.empty()) words += fmt::format("; {} {}", mover->name(), asked);
  }
  return words;
}

/// Bench time so far, and what is left of it as far as that can be told.
std::string progress_words(const Bench& bench, const ScriptPlayer& player, const ScriptLength& length,
                           const std::string& doing) {
  const double now = bench.now().in(units::s);
  std::string words = fmt::format("{}: {:.1f} s on the bench", doing, now);
  const Tick tick = std::llround(now * bench.rig().controller.timer_clock.base().to_double());
  const double left = length.seconds - player.known_seconds_done(tick);
  if (!length.has_an_end) {
    words += ", without end (Ctrl-C ends it)";
  } else if (left > 0.0) {
    words += fmt::format(", {}{:.0f} s left", length.is_whole ? "about " : "at least ", left);
  }
  return words + figures_now(bench, tick);
}

}  // namespace

void add_moved(std::span<const Statement> statements, bool homed_only, std::vector<std::size_t>& moved) {
  for (const Statement& statement : statements) {
    const About about = statement.verb->about();
    const bool counts = about.mechanism != About::nothing && (homed_only ? about.homes : about.moves);
    if (counts && std::find(moved.begin(), moved.end(), about.mechanism) == moved.end())
      moved.push_back(about.mechanism);
    add_moved(statement.verb->inside(), homed_only, moved);
  }
}

Played play(Bench& bench, ScriptPlayer& player, const std::string& doing, const ScriptLength& length) {
  const Rig& rig = bench.rig();
  player.on_statement([&](Tick at, const Statement& statement) {
    const std::string who = statement.verb->told_of(rig);
    if (!who.empty()) bench.trace_event({at, who, statement.text, TraceEvent::Kind::note});
  });
  // Faults may be told as long as there is the bench.
  const auto stopped_from_outside = std::make_shared<bool>(false);
  bench.on_fault([stopped_from_outside](const std::string&) { *stopped_from_outside = true; });

  const InterruptsNoted noted(bench);
  ProgressLine progress;
  unsigned turns = 0;
  bench.run(player, [&] {
    if (++turns % 256 == 0 && progress.is_due()) progress.say(progress_words(bench, player, length, doing));
    return player.has_ended() || *stopped_from_outside;
  });
  Played played;
  played.is_sound = player.fault().empty() && !*stopped_from_outside;
  played.fault = player.fault();
  if (!player.fault().empty()) {
    bench.stop(rig.stops.fault, player.fault());
  } else if (played.is_sound) {
    bench.come_to_rest();
  }
  bench.wait_for_all();
  progress.clear();
  return played;
}

std::filesystem::path state_folder() {
  const char* const state = std::getenv("XDG_STATE_HOME");
  const char* const home = std::getenv("HOME");
  if (state != nullptr && *state != 0) return std::filesystem::path(state) / "cogstride";
  if (home != nullptr && *home != 0) return std::filesystem::path(home) / ".local" / "state" / "cogstride";
  return {};
}

/// Writes taught limits into the rig's file, when that is wanted. @return what was taught, in words
std::vector<std::string> keep_taught(const std::string& rig_file, bool writes, const Rig& rig,
                                     const std::vector<TaughtLimit>& taught) {
  std::vector<std::string> notes;
  for (const TaughtLimit& limit : taught) {
    const std::string key = fmt::format("mechanism.{}.limits.travel", rig.mechanisms[limit.mechanism].name);
    const std::string value =
        fmt::format("{{ from = \"{}\", to = \"{}\" }}", to_text(limit.from), to_text(limit.to));
    if (writes) {
      ChangeOptions change{rig_file, key, value};
      change.quiet = true;
      (void)run_change(change);
    }
    notes.push_back(fmt::format("taught: {} = {}{}", key, value,
                                writes ? ", written into the rig" : " (--keep-taught writes it)"));
  }
  return notes;
}

void require_chips(const std::string& rig_file, const Rig& rig) {
  if (!rig.controller.chips.empty() || !rig.controller.pwm_chips.empty()) return;
  throw Error(
      fmt::format("{}: names no GPIO chip: say which one has its lines, in [controller.gpio.NAME] "
                  "(`cogstride keys gpio` lists what that takes)",
                  rig_file));
}
