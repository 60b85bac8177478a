#include "cogstride/script/verbs/verb.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "cogstride/motion/motion_record.hpp"
#include "cogstride/motion/pulse_width/throttle_mover.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

constexpr std::array language{
    VerbWord{"home", read_home},
    VerbWord{"move", read_move},
    VerbWord{"turn", read_turn},
    VerbWord{"spin", read_spin},
    VerbWord{"faster", read_faster},
    VerbWord{"slower", read_slower},
    VerbWord{"reverse", read_reverse},
    VerbWord{"stop", read_stop},
    VerbWord{"fade", read_fade},
    VerbWord{"ready", read_ready},
    VerbWord{"measure", read_measure},
    VerbWord{"jog", read_jog},
    VerbWord{"repeat", nullptr, read_repeat},
    VerbWord{"arrive", nullptr, read_arrive},
    VerbWord{"start", nullptr, read_start},
    VerbWord{"in", nullptr, read_in_order},
    VerbWord{"with", nullptr, read_with},
    VerbWord{"swing", read_swing},
    VerbWord{"throttle", read_throttle},
    VerbWord{"drive", read_drive},
    VerbWord{"gear", read_gear},
    VerbWord{"change", read_change},
    VerbWord{"nudge", read_nudge},
    VerbWord{"let", read_let},
    VerbWord{"switch", read_switch},
    VerbWord{"arm", read_arm},
    VerbWord{"pull", read_pull},
    VerbWord{"hold", read_hold},
    VerbWord{"release", read_release},
    VerbWord{"brake", read_brake},
    VerbWord{"coast", read_coast},
    VerbWord{"teach", read_teach},
    VerbWord{"print", read_print},
    VerbWord{"all", read_all},
    VerbWord{"wait", read_wait},
    VerbWord{"whichever", nullptr, read_whichever},
    VerbWord{"when", nullptr, read_when},
    VerbWord{"after", nullptr, read_after},
    VerbWord{"leave", read_leave},
};

bool has_failed(const MotionRecord& motion) {
  return motion.has_ended() && motion.status != MotionStatus::done;
}

}  // namespace

std::span<const VerbWord> verb_words() {
  return language;
}

std::vector<std::size_t> mechanisms_of(const About& about, const Rig& rig) {
  std::vector<std::size_t> found;
  if (about.mechanism != About::nothing) found.push_back(about.mechanism);
  if (about.pair == About::nothing) return found;
  const WheeledPair& pair = rig.pairs[about.pair];
  for (std::size_t i = 0; i < rig.mechanisms.size(); ++i)
    if (rig.mechanisms[i].name == pair.left || rig.mechanisms[i].name == pair.right) found.push_back(i);
  return found;
}

Tick Stage::ticks(ExactTime time) const {
  return (time.base() * cast.clock.base()).rounded();
}

bool Block::can_be_played_back() const {
  const bool has_an_end = passes().value_or(1) != 0;
  return has_an_end && std::all_of(body_.begin(), body_.end(),
                                   [](const Statement& each) { return each.verb->can_be_played_back(); });
}

std::unique_ptr<Doing> Block::begin(const Stage&) const {
  throw RangeError("a block whose statements are carried out in its place does not begin itself");
}

bool Motions::is_over(Tick) const {
  return std::all_of(records_.begin(), records_.end(), [](const auto& each) { return each->has_ended(); }) ||
         std::any_of(records_.begin(), records_.end(), [](const auto& each) { return has_failed(*each); });
}

std::string Motions::failure(Tick) const {
  for (const auto& each : records_)
    if (has_failed(*each)) return each->fault.empty() ? "was cancelled" : each->fault;
  return {};
}

std::unique_ptr<Doing> wait_for(std::shared_ptr<MotionRecord> motion) {
  return std::make_unique<Motions>(std::vector{std::move(motion)});
}

}  // namespace cogstride
