#include "cogstride/board/six_gate.hpp"

#include <fmt/format.h>

#include <cmath>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/plan/duty.hpp"

namespace cogstride {
namespace {

constexpr std::array<const char*, 6> uses = {"a_high", "a_low", "b_high", "b_low", "c_high", "c_low"};

}  // namespace

GateDriver::GateDriver(const Mechanism& mechanism, MechanismId id, const Controller& controller)
    : name_(mechanism.name), id_(id) {
  const auto* const board = std::get_if<SixGateInverter>(&mechanism.board);
  if (board == nullptr)
    throw RangeError(fmt::format("{}: a {} has no six gates", name_, kind_name(mechanism.board)));
  wiring_ = std::get<GateWiring>(mechanism.wiring);
  timing_ = pwm_timing(mechanism, controller, wiring_.pwm_frequency, wiring_.alignment);
  dead_time_ = ticks_at_least(wiring_.dead_time, controller.timer_clock);
  if (timing_.period < dead_time_)
    throw RangeError(fmt::format("{}: a period of its PWM is shorter than the dead time", name_));
  if (board->bootstrap_holds) {
    holds_ = ticks_at_least(*board->bootstrap_holds, controller.timer_clock) / 2;
    has_bootstraps_ = true;
    refresh_ = ticks_at_least(board->bootstrap_refresh, controller.timer_clock) + 2 * dead_time_;
    // A count of the timer to each side may go to rounding.
    const double rest =
        static_cast<double>(refresh_ + 2 * timing_.grain) / static_cast<double>(timing_.period);
    if (wiring_.complementary) highest_duty_ = 1.0 - rest;
    if (rest >= 1.0 || holds_ < 2 * timing_.period)
      throw RangeError(fmt::format(
          "{}: the bootstrap capacitors of its board cannot be kept full at this pwm_frequency", name_));
  }
}

std::vector<LineSetup> GateDriver::line_setups() const {
  std::vector<LineSetup> lines;
  const auto add = [&](const char* use, const DrivenLine& line, LineSetup::Use kind) {
    LineSetup setup;
    setup.id = line_id(line);
    setup.name = name_ + "." + use;
    setup.owner = id_;
    setup.use = kind;
    setup.rest_high = level_for(line, false);
    lines.push_back(setup);
  };
  for (std::size_t i = 0; i < 6; ++i) add(uses[i], wiring_.gates[i], LineSetup::Use::pwm);
  if (wiring_.enable) add("enable", *wiring_.enable, LineSetup::Use::level);
  return lines;
}

PwmSetup GateDriver::pwm_setup() const {
  PwmSetup setup;
  setup.period = timing_.period;
  setup.alignment = pwm_alignment(wiring_.alignment);
  setup.dead_time = dead_time_;
  for (std::size_t leg = 0; leg < 3; ++leg)
    setup.channels.push_back({line_id(wiring_.gates[2 * leg]), line_id(wiring_.gates[2 * leg + 1])});
  return setup;
}

Tick GateDriver::on_at(Tick at) const {
  const Tick into = wiring_.alignment == Alignment::centre ? timing_.period / 2 : 0;
  return timing_.begins(at - into) + into;
}

Compare GateDriver::compare_of(std::size_t leg, unsigned gates, bool has_duty, double duty) const {
  const LineId line = line_id(wiring_.gates[2 * leg]);
  if (gates == 0) return {line, 0, PwmDrive::none};
  const double share = has_duty ? duty : 1.0;
  if (gates != 1) return {line, on_ticks(share, timing_.period, timing_.grain), PwmDrive::complement};
  const bool in_turn = has_duty && wiring_.complementary;
  return {line, on_ticks(in_turn ? std::min(share, highest_duty_) : share, timing_.period, timing_.grain),
          in_turn ? PwmDrive::both : PwmDrive::line};
}

bool GateDriver::charges(const Compare& compare) const {
  if (compare.drive == PwmDrive::both) return timing_.period - compare.on_ticks >= refresh_;
  return compare.drive == PwmDrive::complement && compare.on_ticks >= refresh_;
}

GateDriver::Put GateDriver::put_gates(Lines& lines, Tick at, std::uint8_t on, std::uint8_t switched,
                                      double duty) const {
  Put put;
  put.on = on;
  std::array<Compare, 3> compares{};
  for (std::size_t leg = 0; leg < 3; ++leg) {
    const unsigned gates = on >> (2 * leg) & 3U;
    compares[leg] = compare_of(leg, gates, (switched >> (2 * leg) & gates) != 0, duty);
    if (charges(compares[leg])) put.charges = static_cast<std::uint8_t>(put.charges | (1U << leg));
  }
  lines.put(at, compares);
  return put;
}

/// Legs at ground instead of those whose high side would come on, or stay on, with an empty capacitor.
std::uint8_t GateDriver::charge(Tick from, std::uint8_t on) const {
  if (!has_bootstraps_) return on;
  for (std::uint8_t leg = 0; leg < 3; ++leg) {
    const auto high = static_cast<std::uint8_t>(1U << (2 * leg));
    if ((on & high) != 0 && from - charged_at_[leg] > holds_)
      on = static_cast<std::uint8_t>((on & ~high) | (high << 1));
  }
  return on;
}

bool GateDriver::put(Lines& lines, Tick at, const chip::SixStepRow& row, double duty) {
  const Tick from = timing_.begins(at);
  // What is put for a period that has not begun takes the place of what was put for it before.
  const Put until = before(from);
  for (std::size_t leg = 0; leg < 3; ++leg)
    if ((until.charges >> leg & 1U) != 0) charged_at_[leg] = from;
  if (wiring_.enable)
    lines.put(from, std::array{Level{line_id(*wiring_.enable), level_for(*wiring_.enable, true)}});
  last_ = put_gates(lines, at, charge(from, row.on), row.switched, duty);
  before_ = until;
  last_from_ = from;
  last_.is_whole = last_.on == row.on;
  return last_.is_whole;
}

void GateDriver::put_off(Lines& lines, Tick at) {
  const Tick from = timing_.begins(at);
  const Put until = before(from);
  last_ = put_gates(lines, at, 0, 0, 0.0);
  before_ = until;
  last_from_ = from;
}

}  // namespace cogstride
