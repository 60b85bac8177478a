#include "cogstride/board/six_gate.hpp"

#include <fmt/format.h>

#include <array>
#include <cmath>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/plan/duty.hpp"
#include "cogstride/plan/timer_choice.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

constexpr std::array<const char*, 6> uses = {"a_high", "a_low", "b_high", "b_low", "c_high", "c_low"};

/// The other gates of the legs that these belong to.
constexpr std::uint8_t partners(std::uint8_t gates) {
  return static_cast<std::uint8_t>(((gates & 0x15U) << 1) | ((gates & 0x2aU) >> 1));
}

}  // namespace

GateDriver::GateDriver(const Mechanism& mechanism, MechanismId id, PwmGroup group,
                       const Controller& controller)
    : name_(mechanism.name), id_(id), group_(group) {
  if (!std::holds_alternative<SixGateInverter>(mechanism.board))
    throw RangeError(fmt::format("{}: a {} has no six gates", name_, kind_name(mechanism.board)));
  wiring_ = std::get<GateWiring>(mechanism.wiring);
  TimerUnit timer;
  timer.width = 32;  // where the rig names none: ticks are counted
  for (const TimerUnit& each : controller.timers)
    if (mechanism.common.timer == each.name) timer = each;
  const TimerChoice choice =
      choose_counts(controller.timer_clock, timer, wiring_.pwm_frequency, wiring_.alignment);
  if (!choice.fits)
    throw RangeError(
        fmt::format("{}: its timer cannot make {}", name_, to_text(wiring_.pwm_frequency, "kHz")));
  grain_ = timer.prescaler * (wiring_.alignment == Alignment::centre ? 2 : 1);
  period_ = grain_ * choice.counts;
  if (period_ < ticks_at_least(wiring_.dead_time, controller.timer_clock))
    throw RangeError(fmt::format("{}: a period of its PWM is shorter than the dead time", name_));
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
  setup.group = group_;
  setup.period = period_;
  setup.alignment = wiring_.alignment == Alignment::centre ? PwmAlignment::centre : PwmAlignment::edge;
  for (const DrivenLine& gate : wiring_.gates) setup.channels.push_back({line_id(gate), std::nullopt});
  return setup;
}

void GateDriver::put_gates(Lines& lines, Tick at, std::uint8_t on, std::uint8_t switched, double duty) {
  std::array<Compare, 6> compares{};
  for (std::size_t i = 0; i < 6; ++i) {
    const bool is_on = (on >> i & 1U) != 0;
    const bool has_duty = (switched >> i & 1U) != 0;
    compares[i] = {static_cast<std::uint16_t>(i),
                   is_on ? on_ticks(has_duty ? duty : 1.0, period_, grain_) : Tick{0}};
  }
  lines.put(group_, at, compares);
}

bool GateDriver::put(Lines& lines, Tick at, const chip::SixStepRow& row, double duty) {
  const Tick from = (at + period_ - 1) / period_ * period_;
  // What is put for a period that has not begun takes the place of what was put for it before.
  const std::uint8_t was_on = from > last_from_ ? last_on_ : before_on_;
  const auto changes_sides = static_cast<std::uint8_t>(row.on & partners(was_on));
  const auto held_off = static_cast<std::uint8_t>(changes_sides | partners(changes_sides));
  const auto on = static_cast<std::uint8_t>(row.on & ~held_off);
  if (wiring_.enable)
    lines.put(from, std::array{Level{line_id(*wiring_.enable), level_for(*wiring_.enable, true)}});
  put_gates(lines, at, on, row.switched, duty);
  before_on_ = was_on;
  last_on_ = on;
  last_from_ = from;
  return held_off == 0;
}

void GateDriver::put_off(Lines& lines, Tick at) {
  const Tick from = (at + period_ - 1) / period_ * period_;
  const std::uint8_t was_on = from > last_from_ ? last_on_ : before_on_;
  put_gates(lines, at, 0, 0, 0.0);
  before_on_ = was_on;
  last_on_ = 0;
  last_from_ = from;
}

}  // namespace cogstride
