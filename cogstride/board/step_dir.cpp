#include "cogstride/board/step_dir.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <span>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/mechanism/ticks.hpp"

namespace cogstride {

StepDirDriver::StepDirDriver(const Mechanism& mechanism, MechanismId id, ExactFrequency clock)
    : name_(mechanism.name),
      id_(id),
      wiring_(mechanism.step_dir_lines()),
      step_(line_id(wiring_.step)),
      dir_(line_id(wiring_.dir)),
      wake_(ticks_at_least(mechanism.step_dir().wake, clock)),
      dir_steady_before_(ticks_at_least(wiring_.dir_steady_before, clock)),
      dir_steady_after_(ticks_at_least(wiring_.dir_steady_after, clock)),
      pulse_width_(std::max<Tick>(1, ticks_at_least(wiring_.pulse_width, clock))) {
  if (wiring_.enable) enable_ = line_id(*wiring_.enable);
  const StepDirBoard& board = mechanism.step_dir();
  for (const auto& [positions, microsteps] : board.microsteps_by_switch)
    if (microsteps == board.microsteps) select_ = positions;
}

std::vector<LineSetup> StepDirDriver::line_setups() const {
  using Use = LineSetup::Use;
  std::vector<LineSetup> setups;
  setups.push_back(
      {step_, name_ + ".step", id_, Use::pulses, level_for(wiring_.step, false), pulse_width_, {}});
  setups.push_back({dir_, name_ + ".dir", id_, Use::level, level_for(wiring_.dir, false), 0, {}});
  if (enable_) {
    setups.push_back(
        {*enable_, name_ + ".enable", id_, Use::level, level_for(*wiring_.enable, false), 0, {}});
  }
  const auto at_rest = [&](const std::optional<DrivenLine>& line, const char* use) {
    if (line)
      setups.push_back({line_id(*line), name_ + use, id_, Use::level, level_for(*line, false), 0, {}});
  };
  at_rest(wiring_.sleep, ".sleep");
  at_rest(wiring_.reset, ".reset");
  for (std::size_t i = 0; i < wiring_.microstep_select.size(); ++i) {
    const DrivenLine& line = wiring_.microstep_select[i];
    const bool on = i < select_.size() && select_[i] == '1';
    setups.push_back({line_id(line),
                      fmt::format("{}.select_{}", name_, i + 1),
                      id_,
                      Use::level,
                      level_for(line, on),
                      0,
                      {}});
  }
  return setups;
}

void StepDirDriver::put_enable(Lines& lines, Tick at, bool on) const {
  if (!enable_) return;
  const std::array levels{Level{*enable_, level_for(*wiring_.enable, on)}};
  lines.put(at, levels);
}

void StepDirDriver::put_direction(Lines& lines, Tick at, bool forwards) const {
  const std::array levels{Level{dir_, level_for(wiring_.dir, forwards)}};
  lines.put(at, levels);
}

void StepDirDriver::put_run(Lines& lines, FineTick start, const chip::PulseRun& run,
                            std::optional<StopOn> stop) const {
  lines.put(start, step_, std::span(&run, 1), stop);
}

StepDirReceiver::StepDirReceiver(const StepDirBoard& board, const StepDirWiring& wiring, ExactFrequency clock,
                                 EnableUse use)
    : ticks_per_second_(clock.base().to_double()),
      step_level_after_(board.step_edge == StepEdge::rising),
      dir_forwards_level_(wiring.dir.active == ActiveLevel::high),
      enable_on_level_(board.enable_active == ActiveLevel::high),
      least_before_(ticks_at_least(step_level_after_ ? board.shortest_low : board.shortest_high, clock)),
      least_after_(ticks_at_least(step_level_after_ ? board.shortest_high : board.shortest_low, clock)),
      dir_steady_before_(ticks_at_least(board.dir_steady_before, clock)),
      dir_steady_after_(ticks_at_least(board.dir_steady_after, clock)),
      wake_(ticks_at_least(board.wake, clock)),
      step_high_(level_for(wiring.step, false)),
      is_on_(wiring.enable ? level_for(*wiring.enable, false) == enable_on_level_
                           : use != EnableUse::open || board.enable_open != OpenEnable::off) {}

void StepDirReceiver::set_step(Tick at, bool high) {
  if (high == step_high_) return;
  const Tick lasted = at - step_changed_;
  step_high_ = high;
  step_changed_ = at;
  counts_.shortest = std::min(counts_.shortest, lasted);
  if (high != step_level_after_) {
    undo_short_step(lasted);
    return;
  }
  ++counts_.pulses;
  last_made_ = 0;
  if (lasted < least_before_) {
    ++counts_.missed_short;
  } else if (!is_on_) {
    ++counts_.missed_off;
  } else if (at < on_since_ + wake_) {
    ++counts_.missed_waking;
  } else {
    step_edge(at);
  }
}

/// The level after the step edge did not last: the input never saw the pulse.
void StepDirReceiver::undo_short_step(Tick lasted) {
  if (lasted >= least_after_ || last_made_ == 0) return;
  microstep_ -= last_made_;
  last_made_ = 0;
  ++counts_.missed_short;
}

void StepDirReceiver::step_edge(Tick at) {
  bool forwards = forwards_;
  if (at < dir_changed_ + dir_steady_before_) {  // DIR has not settled: the board still goes the old way
    forwards = !forwards;
    ++counts_.wrong_direction;
  }
  last_made_ = forwards ? 1 : -1;
  last_direction_ = last_made_;
  microstep_ += last_made_;
  step_rate_ = ticks_per_second_ / static_cast<double>(at - last_step_);
  last_step_ = at;
}

void StepDirReceiver::set_dir(Tick at, bool high) {
  const bool forwards = high == dir_forwards_level_;
  if (forwards == forwards_) return;
  forwards_ = forwards;
  dir_changed_ = at;
  if (last_made_ != 0 && at < last_step_ + dir_steady_after_) {  // the last step takes the new direction
    microstep_ -= 2 * last_made_;
    last_made_ = -last_made_;
    last_direction_ = last_made_;
    ++counts_.wrong_direction;
  }
}

void StepDirReceiver::set_enable(Tick at, bool high) {
  const bool on = high == enable_on_level_;
  if (on && !is_on_) on_since_ = at;
  is_on_ = on;
}

}  // namespace cogstride
