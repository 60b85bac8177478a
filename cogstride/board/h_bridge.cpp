#include "cogstride/board/h_bridge.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/plan/duty.hpp"
#include "cogstride/quantity/finite.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

const HBridge& bridge_of(const Mechanism& mechanism) {
  const auto* const bridge = std::get_if<HBridge>(&mechanism.board);
  if (bridge == nullptr)
    throw RangeError(
        fmt::format("{}: a {} is no H-bridge for one motor", mechanism.name, kind_name(mechanism.board)));
  return *bridge;
}

constexpr std::size_t place(auto use) {
  return static_cast<std::size_t>(use);
}

}  // namespace

BridgeDriver::BridgeDriver(const Mechanism& mechanism, MechanismId id, const Controller& controller)
    : name_(mechanism.name),
      id_(id),
      form_(bridge_of(mechanism).form),
      wiring_(std::get<BridgeWiring>(mechanism.wiring)),
      carries_(duty_lines(wiring_)) {
  timing_ = pwm_timing(mechanism, controller, wiring_.pwm_frequency, wiring_.alignment);
  if (wiring_.decay == Decay::fast && !can_coast())
    throw RangeError(
        fmt::format("{}: cannot coast between: no line of the controller switches its bridge off; give it "
                    "lines.enable, or let it decay slowly (lines.decay)",
                    name_));
}

std::vector<LineSetup> BridgeDriver::line_setups() const {
  std::vector<LineSetup> lines;
  const auto add = [&](const char* use, const std::optional<DrivenLine>& line, bool has_duty) {
    if (!line) return;
    LineSetup setup;
    setup.id = line_id(*line);
    setup.name = name_ + "." + use;
    setup.owner = id_;
    setup.use = has_duty ? LineSetup::Use::pwm : LineSetup::Use::level;
    setup.rest_high = level_for(*line, false);
    lines.push_back(setup);
  };
  add("input_a", wiring_.input_a, carries_.inputs);
  add("input_b", wiring_.input_b, carries_.inputs);
  add("sign", wiring_.sign, false);
  add("duty", wiring_.duty, carries_.duty);
  add("enable", wiring_.enable, carries_.enable);
  return lines;
}

PwmSetup BridgeDriver::pwm_setup() const {
  PwmSetup setup;
  setup.period = timing_.period;
  setup.alignment = pwm_alignment(wiring_.alignment);
  const auto add = [&](const std::optional<DrivenLine>& line, bool has_duty) {
    if (line && has_duty) setup.channels.push_back({line_id(*line), std::nullopt});
  };
  add(wiring_.input_a, carries_.inputs);
  add(wiring_.input_b, carries_.inputs);
  add(wiring_.duty, carries_.duty);
  add(wiring_.enable, carries_.enable);
  return setup;
}

void BridgeDriver::put(Lines& lines, Tick at, const Shares& shares) const {
  // Levels change with the period in which the duties do.
  const Tick starts = timing_.begins(at);
  std::array<Compare, 4> compares{};
  std::array<Level, 5> levels{};
  std::size_t channels = 0;
  std::size_t plain = 0;
  const auto add = [&](const std::optional<DrivenLine>& line, double share, bool has_duty) {
    if (!line) return;
    if (has_duty) {
      compares[channels++] = {line_id(*line), on_ticks(share, timing_.period, timing_.grain)};
    } else {
      levels[plain++] = {line_id(*line), level_for(*line, share > 0.0)};
    }
  };
  add(wiring_.input_a, shares.forward, carries_.inputs);
  add(wiring_.input_b, shares.backward, carries_.inputs);
  add(wiring_.duty, shares.duty, carries_.duty);
  add(wiring_.enable, shares.enable, carries_.enable);
  add(wiring_.sign, shares.sign, false);
  if (plain > 0) lines.put(starts, std::span(levels).first(plain));
  lines.put(at, std::span(compares).first(channels));
}

BridgeDriver::Shares BridgeDriver::shares_of(double duty) const {
  const double size = std::min(1.0, std::abs(require_finite(duty, "a duty")));
  const bool backwards = duty < 0.0;
  const bool lets_go = wiring_.decay == Decay::fast;
  Shares shares;
  shares.enable = 1.0;
  if (form_ == HBridge::Form::sign_magnitude) {
    shares.sign = backwards ? 0.0 : 1.0;
    shares.duty = lets_go ? 1.0 : size;
    if (lets_go) shares.enable = size;
  } else {
    double& side = backwards ? shares.backward : shares.forward;
    side = lets_go ? 1.0 : size;
    if (form_ == HBridge::Form::four_channel) {
      shares.duty = lets_go ? size : 1.0;
    } else if (lets_go) {
      shares.enable = size;
    }
  }
  return shares;
}

void BridgeDriver::put_duty(Lines& lines, Tick at, double duty) const {
  put(lines, at, shares_of(duty));
}

std::vector<LoopSetup::Output> BridgeDriver::loop_outputs() const {
  constexpr double some = 0.5;
  Shares none;
  none.enable = 1.0;
  if (form_ == HBridge::Form::four_channel) none.duty = 1.0;
  const Shares forwards = shares_of(some);
  const Shares backwards = shares_of(-some);
  std::vector<LoopSetup::Output> outputs;
  const auto add = [&](const std::optional<DrivenLine>& line, double Shares::*share, bool has_duty) {
    if (!line) return;
    LoopSetup::Output output;
    output.line = line_id(*line);
    if (has_duty) {
      output.period = timing_.period;
      output.grain = timing_.grain;
    }
    const auto gives = [&](double part) {
      if (has_duty && part == some) return LoopSetup::Gives::duty;
      const bool high = has_duty ? part > 0.0 : level_for(*line, part > 0.0);
      return high ? LoopSetup::Gives::high : LoopSetup::Gives::low;
    };
    output.forwards = gives(forwards.*share);
    output.backwards = gives(backwards.*share);
    output.none = gives(none.*share);
    outputs.push_back(output);
  };
  add(wiring_.input_a, &Shares::forward, carries_.inputs);
  add(wiring_.input_b, &Shares::backward, carries_.inputs);
  add(wiring_.duty, &Shares::duty, carries_.duty);
  add(wiring_.enable, &Shares::enable, carries_.enable);
  add(wiring_.sign, &Shares::sign, false);
  return outputs;
}

void BridgeDriver::put_rest(Lines& lines, Tick at, SlowsBy how) const {
  Shares shares;  // both inputs low: both halves low, where they are on
  if (how == SlowsBy::braking) {
    shares.enable = 1.0;
    if (form_ == HBridge::Form::four_channel) shares.duty = 1.0;
  } else if (form_ == HBridge::Form::four_channel) {
    shares.enable = 1.0;  // its channel alone lets go: ENABLE is that of the whole board
  } else if (!can_coast()) {
    throw RangeError(
        fmt::format("{}: cannot coast: no line of the controller switches its bridge off", name_));
  }
  put(lines, at, shares);
}

BridgeReceiver::BridgeReceiver(const Mechanism& mechanism)
    : form_(bridge_of(mechanism).form),
      enable_active_high_(bridge_of(mechanism).enable_active == ActiveLevel::high) {
  const auto& wiring = std::get<BridgeWiring>(mechanism.wiring);
  const auto add = [&](Use use, const std::optional<DrivenLine>& line) {
    if (!line) return;
    hears_.push_back(line_id(*line));
    uses_.push_back(use);
  };
  sign_forwards_high_ = !wiring.sign || wiring.sign->active == ActiveLevel::high;
  add(Use::forward, wiring.input_a);
  add(Use::backward, wiring.input_b);
  add(Use::sign, wiring.sign);
  add(Use::duty, wiring.duty);
  add(Use::enable, wiring.enable);
  const bool open_is_on = bridge_of(mechanism).enable_open == OpenEnable::on;
  starts_enabled_ = mechanism.common.enable == EnableUse::tied ||
                    (mechanism.common.enable == EnableUse::open && open_is_on);
}

BridgeState BridgeReceiver::begin() const {
  BridgeState state;
  state.levels[place(Use::enable)] = starts_enabled_ == enable_active_high_;
  settle(state);
  return state;
}

void BridgeReceiver::hear(BridgeState& state, std::size_t input, bool high) const {
  state.levels[place(uses_[input])] = high;
  state.share = 1.0;
  settle(state);
}

void BridgeReceiver::hear_share(BridgeState& state, std::size_t input, double share) const {
  const bool high = share > 0.0;
  state.levels[place(uses_[input])] = high;
  if (high && uses_[input] != Use::enable) state.share = share;
  settle(state);
}

void BridgeReceiver::settle(BridgeState& state) const {
  const auto level = [&](Use use) { return state.levels[place(use)]; };
  bool on = level(Use::enable) == enable_active_high_;
  bool a = level(Use::forward);
  bool b = level(Use::backward);
  if (form_ == HBridge::Form::sign_magnitude) {
    const bool is_forwards = level(Use::sign) == sign_forwards_high_;
    a = level(Use::duty) && is_forwards;
    b = level(Use::duty) && !is_forwards;
  } else if (form_ == HBridge::Form::four_channel) {
    on = on && level(Use::duty);
  }
  state.a = !on ? BridgeHalf::off : a ? BridgeHalf::high : BridgeHalf::low;
  state.b = !on ? BridgeHalf::off : b ? BridgeHalf::high : BridgeHalf::low;
}

}  // namespace cogstride
