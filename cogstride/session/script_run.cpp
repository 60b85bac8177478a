#include "cogstride/session/script_run.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>

#include "cogstride/files/output_file.hpp"
#include "cogstride/motion/gearing/follow.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/files/change_rig.hpp"
#include "cogstride/script/verbs/verb.hpp"
#include "cogstride/trace/trace.hpp"

namespace cogstride {
namespace {

void add_named(std::span<const Statement> statements, bool About::*what, std::vector<std::size_t>& found) {
  for (const Statement& statement : statements) {
    const About about = statement.verb->about();
    const bool counts = about.mechanism != About::nothing && about.*what;
    if (counts && std::find(found.begin(), found.end(), about.mechanism) == found.end())
      found.push_back(about.mechanism);
    add_named(statement.verb->inside(), what, found);
  }
}

/// What moves is asked to do now; each by what is put on its lines.
std::string figures_now(const Bench& bench, Tick now) {
  std::string words;
  for (const auto& mover : bench.movers()) {
    if (mover->has_ended() && !mover->is_driven(now)) continue;
    const std::string asked = mover->status(now).asked;
    if (!asked.empty()) words += fmt::format("; {} {}", mover->name(), asked);
    Follows* const follows = mover->follows();
    if (const Follow* const follow = follows == nullptr ? nullptr : follows->following())
      words += fmt::format(", {}", follow->figures());
  }
  return words;
}

}  // namespace

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

std::vector<std::size_t> moved_by(std::span<const Statement> statements) {
  std::vector<std::size_t> found;
  add_named(statements, &About::moves, found);
  return found;
}

std::vector<std::size_t> homed_by(std::span<const Statement> statements) {
  std::vector<std::size_t> found;
  add_named(statements, &About::homes, found);
  return found;
}

std::optional<std::size_t> pair_driven_by(std::span<const Statement> statements) {
  for (const Statement& statement : statements) {
    const About about = statement.verb->about();
    if (about.pair != About::nothing && about.moves) return about.pair;
    if (const auto inside = pair_driven_by(statement.verb->inside())) return inside;
  }
  return std::nullopt;
}

PlayedScript play_script(Bench& bench, ScriptPlayer& player, const std::function<void()>& each_turn,
                         std::optional<Time> longest) {
  const Rig& rig = bench.rig();
  player.on_statement([&](Tick at, const Statement& statement) {
    const std::string who = statement.verb->told_of(rig);
    if (!who.empty()) bench.trace_event({at, who, statement.text, TraceEvent::Kind::note});
  });
  // Faults may be told as long as there is the bench.
  const auto stopped_from_outside = std::make_shared<bool>(false);
  bench.on_fault([stopped_from_outside](const std::string&) { *stopped_from_outside = true; });
  PlayedScript played;
  const Time began = bench.now();
  bench.run(player, [&] {
    if (each_turn) each_turn();
    played.was_longer = longest && bench.now() - began >= *longest;
    return played.was_longer || player.has_ended() || *stopped_from_outside;
  });
  played.was_longer = played.was_longer && !player.has_ended() && !*stopped_from_outside;
  played.is_sound = player.fault().empty() && !*stopped_from_outside;
  played.fault = player.fault();
  if (!player.fault().empty()) {
    bench.stop(rig.stops.fault, player.fault());
  } else if (played.is_sound) {
    bench.come_to_rest();
  }
  bench.wait_for_all();
  return played;
}

std::vector<std::string> keep_taught(const std::string& rig_file, bool writes, const Rig& rig,
                                     const std::vector<TaughtLimit>& taught) {
  std::vector<std::string> notes;
  for (const TaughtLimit& limit : taught) {
    const std::string key = fmt::format("mechanism.{}.limits.travel", rig.mechanisms[limit.mechanism].name);
    const std::string value =
        fmt::format("{{ from = \"{}\", to = \"{}\" }}", to_text(limit.from), to_text(limit.to));
    if (writes) {
      ChangedFile file(rig_file);
      file.replace(changed_rig_text(file.text(), rig_file, key, value));
    }
    notes.push_back(fmt::format("taught: {} = {}{}", key, value,
                                writes ? ", written into the rig" : " (--keep-taught writes it)"));
  }
  return notes;
}

}  // namespace cogstride
