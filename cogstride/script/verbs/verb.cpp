#include "cogstride/script/verbs/verb.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "cogstride/motion/motion_record.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

constexpr std::array words{switch_verb, arm_verb,   hold_verb,  release_verb,
                           brake_verb,  coast_verb, teach_verb, wait_verb};

}  // namespace

std::span<const VerbWord> verb_words() {
  return words;
}

Mover& Stage::mover() const {
  return *cast.mechanisms[statement.mechanism];
}

Tick Stage::ticks(ExactTime time) const {
  return (time.base() * cast.clock.base()).rounded();
}

bool Motions::is_over(Tick) const {
  return std::all_of(records_.begin(), records_.end(), [](const auto& each) { return each->has_ended(); });
}

std::string Motions::failure(Tick) const {
  for (const auto& each : records_)
    if (each->has_ended() && each->status != MotionStatus::done)
      return each->fault.empty() ? "was cancelled" : each->fault;
  return {};
}

void require_rest(const Rig& rig, const Statement& statement, const Foreseen& known) {
  const Statement* const spins = known.standing[statement.mechanism].spins;
  if (spins == nullptr) return;
  throw RangeError(fmt::format("{0} still spins (line {1}): write 'stop {0}' first",
                               rig.mechanisms[statement.mechanism].name, spins->place.line));
}

void require_homed(const Rig& rig, const Statement& statement, const Foreseen& known) {
  require_rest(rig, statement, known);
  if (known.standing[statement.mechanism].is_homed) return;
  throw RangeError(fmt::format("nobody knows yet where {0} stands: write 'home {0}' first",
                               rig.mechanisms[statement.mechanism].name));
}

}  // namespace cogstride
