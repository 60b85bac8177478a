#include "cogstride/board/step_dir.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/mechanism/ticks.hpp"

namespace cogstride {

StepDirDriver::StepDirDriver(const Mechanism& mechanism, MechanismId id, ExactFrequency clock)
    : name_(mechanism.name),
      id_(id),
      wiring_(mechanism.step_dir_lines()),
      is_two_pulse_(mechanism.step_dir().form == StepDirBoard::Form::two_pulse),
      step_(line_id(wiring_.step)),
      dir_(line_id(wiring_.dir)),
      wake_(ticks_at_least(mechanism.step_dir().wake, clock)),
      dir_steady_before_(ticks_at_least(wiring_.dir_steady_before, clock)),
      dir_steady_after_(ticks_at_least(wiring_.dir_steady_after, clock)),
      pulse_width_(std::max<Tick>(1, ticks_at_least(wiring_.pulse_width, clock))),
      after_step_(
          std::max({pulse_width_, dir_steady_after_, ticks_at_least(mechanism.step_dir().shortest_low, clock),
                    ticks_at_least(mechanism.step_dir().shortest_high, clock)})) {
  if (wiring_.enable) enable_ = line_id(*wiring_.enable);
  const StepDirBoard& board = mechanism.step_dir();
  for (const auto& [positions, microsteps] : board.microsteps_by_switch)
    if (microsteps == board.microsteps) select_ = positions;
}

std::vector<LineSetup> StepDirDriver::line_setups() const {
  using Use = LineSetup::Use;
  std::vector<LineSetup> setups;
  const bool step_rests = level_for(wiring_.step, false);
  const bool dir_rests = level_for(wiring_.dir, false);
  if (is_two_pulse_) {
    setups.push_back(
        {step_, name_ + ".forward", id_, Use::pulses, step_rests, pulse_width_, {}, after_step_});
    setups.push_back({dir_, name_ + ".backward", id_, Use::pulses, dir_rests, pulse_width_, {}, after_step_});
  } else {
    setups.push_back({step_, name_ + ".step", id_, Use::pulses, step_rests, pulse_width_, {}, after_step_});
    setups.push_back({dir_, name_ + ".dir", id_, Use::level, dir_rests, 0, {}, dir_steady_before_});
  }
  if (enable_) {
    setups.push_back(
        {*enable_, name_ + ".enable", id_, Use::level, level_for(*wiring_.enable, false), 0, {}, wake_});
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
  if (is_two_pulse_) return;
  const std::array levels{Level{dir_, level_for(wiring_.dir, forwards)}};
  lines.put(at, levels);
}

void StepDirDriver::put_run(Lines& lines, FineTick start, const chip::PulseRun& run,
                            std::optional<StopOn> stop) const {
  const bool backwards = (run.flags & chip::run_backwards) != 0;
  lines.put(start, is_two_pulse_ && backwards ? dir_ : step_, std::span(&run, 1), stop);
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
      table_rows_(4 * board.microsteps),
      is_two_pulse_(board.form == StepDirBoard::Form::two_pulse),
      step_{.high = level_for(wiring.step, false)},
      backward_{.high = level_for(wiring.dir, false)},
      is_on_(wiring.enable ? level_for(*wiring.enable, false) == enable_on_level_
                           : use != EnableUse::open || board.enable_open != OpenEnable::off) {}

void StepDirReceiver::set_step(Tick at, bool high) {
  if (is_two_pulse_ && high == step_level_after_ && high != step_.high) {
    forwards_ = true;
    dir_changed_ = backward_.changed;
  }
  set_pulse(step_, at, high);
}

void StepDirReceiver::set_pulse(PulseInput& input, Tick at, bool high) {
  if (high == input.high) return;
  const Tick lasted = at - input.changed;
  input.high = high;
  input.changed = at;
  counts_.shortest = std::min(counts_.shortest, lasted);
  if (high != step_level_after_) {
    undo_short_step(input, lasted);
    return;
  }
  ++counts_.pulses;
  input.last_made = 0;
  if (lasted < least_before_) {
    ++counts_.missed_short;
  } else if (!is_on_ || !powered_) {
    ++counts_.missed_off;
  } else if (at < on_since_ + wake_) {
    ++counts_.missed_waking;
  } else {
    step_edge(input, at);
  }
}

/// The level after the step edge did not last: the input never saw the pulse.
void StepDirReceiver::undo_short_step(PulseInput& input, Tick lasted) {
  if (lasted >= least_after_ || input.last_made == 0) return;
  microstep_ -= input.last_made;
  input.last_made = 0;
  ++counts_.missed_short;
}

void StepDirReceiver::step_edge(PulseInput& input, Tick at) {
  bool forwards = forwards_;
  if (at < dir_changed_ + dir_steady_before_) {  // DIR has not settled: the board still goes the old way
    forwards = !forwards;
    ++counts_.wrong_direction;
  }
  input.last_made = forwards ? 1 : -1;
  last_direction_ = input.last_made;
  microstep_ += input.last_made;
  step_rate_ = ticks_per_second_ / static_cast<double>(at - last_step_);
  last_step_ = at;
}

void StepDirReceiver::set_dir(Tick at, bool high) {
  if (is_two_pulse_) {
    if (high == step_level_after_ && high != backward_.high) {
      forwards_ = false;
      dir_changed_ = step_.changed;
    }
    set_pulse(backward_, at, high);
    return;
  }
  const bool forwards = high == dir_forwards_level_;
  if (forwards == forwards_) return;
  forwards_ = forwards;
  dir_changed_ = at;
  if (step_.last_made != 0 && at < last_step_ + dir_steady_after_) {  // the last step takes the new direction
    microstep_ -= 2 * step_.last_made;
    step_.last_made = -step_.last_made;
    last_direction_ = step_.last_made;
    ++counts_.wrong_direction;
  }
}

void StepDirReceiver::set_powered(Tick at, bool powered) {
  if (powered && !powered_) {
    on_since_ = at;
    const double tables = static_cast<double>(microstep_) / static_cast<double>(table_rows_);
    microstep_ = std::llround(tables) * table_rows_;
  }
  powered_ = powered;
}

void StepDirReceiver::set_enable(Tick at, bool high) {
  const bool on = high == enable_on_level_;
  if (on && !is_on_) on_since_ = at;
  is_on_ = on;
}

}  // namespace cogstride
