#include "cogstride/rig/keys/part_rules.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/keys/kinds.hpp"

namespace cogstride {
namespace {

/// What a table of switches sets at the given positions must be among its rows.
template <class Rows>
void check_positions(PartErrors& errors, const char* key, const std::optional<std::string>& positions,
                     const Rows& rows) {
  if (!positions || rows.count(*positions) > 0) return;
  std::vector<std::string> known;
  for (const auto& [row, value] : rows) known.push_back(row);
  errors.error(key,
               fmt::format("{}: \"{}\" is not a setting of this board ({})", key, *positions,
                           known.empty() ? "it has no table" : fmt::format("{}", fmt::join(known, ", "))),
               "switch-setting-unknown");
}

void check_terminals(PartErrors& errors, const std::vector<CoilEnd>& terminals) {
  std::vector<CoilEnd> sorted = terminals;
  std::sort(sorted.begin(), sorted.end());
  const bool all = sorted.size() == 4 && std::adjacent_find(sorted.begin(), sorted.end()) == sorted.end();
  if (!terminals.empty() && !all)
    errors.error("terminals", "terminals: name each of a_plus, a_minus, b_plus, b_minus once");
}

}  // namespace

void check(PartErrors& errors, const Stepper& motor) {
  if (motor.full_steps > 0 && motor.full_steps % 4 != 0) {
    errors.error("full_steps", fmt::format("full_steps: found {}; a two-phase stepper has a multiple of 4",
                                           motor.full_steps));
  }
  const bool bipolar = motor.phases == Stepper::Phases::bipolar;
  const bool leads_fit = motor.leads == 6 || motor.leads == 8 || motor.leads == (bipolar ? 4 : 5);
  if (!leads_fit) {
    errors.error("leads", fmt::format("leads: found {}; a {} stepper has {}, 6 or 8", motor.leads,
                                      bipolar ? "bipolar" : "unipolar", bipolar ? 4 : 5));
  } else if (!motor.wires.empty() && motor.wires.size() != static_cast<std::size_t>(motor.leads)) {
    errors.error("wires",
                 fmt::format("wires: found {} colours; the motor has {} leads: {}", motor.wires.size(),
                             motor.leads, fmt::join(lead_names(motor.leads), ", ")));
  }
  const bool whole = motor.halves == Stepper::Halves::whole;
  const bool parallel = motor.halves == Stepper::Halves::parallel;
  if (leads_fit && bipolar && (whole != (motor.leads == 4) || (parallel && motor.leads != 8))) {
    errors.error(
        "halves",
        motor.leads == 4 ? "halves: a motor with 4 leads has whole coils only"
        : motor.leads == 6
            ? "halves: of 6 leads write \"one half\" or \"in series\": the amounts are those of one half"
            : "halves: of 8 leads write \"one half\", \"in series\" or \"in parallel\": the amounts are "
              "those "
              "of one half");
  }
}

void check(PartErrors& errors, StepDirBoard& board) {
  if (board.microstep_settings.empty()) {
    for (const auto& [row, microsteps] : board.microsteps_by_switch)
      board.microstep_settings.push_back(microsteps);
    std::sort(board.microstep_settings.begin(), board.microstep_settings.end());
  }
  auto& settings = board.microstep_settings;
  if (settings.empty() && !errors.has("microstep_settings") && !errors.has("microsteps_by_switch"))
    errors.error("",
                 "microstep_settings is missing; expected a list of what can be set, or "
                 "microsteps_by_switch with what its switches set");
  if (board.microsteps > 0 && !settings.empty() &&
      std::find(settings.begin(), settings.end(), board.microsteps) == settings.end()) {
    errors.error("microsteps",
                 fmt::format("microsteps {} is not a setting of this board ({})", board.microsteps,
                             fmt::join(settings, ", ")),
                 "switch-setting-unknown");
  }
  check_positions(errors, "microstep_switches", board.microstep_switches, board.microsteps_by_switch);
  check_positions(errors, "current_switches", board.current_switches, board.current_by_switch);
}

void check(PartErrors& errors, const BrushlessMotor& motor) {
  if (ExactFraction::from_base(Ratio(9, 10)) < motor.saliency)
    errors.error("saliency",
                 fmt::format("saliency: found {}; an inductance that swings by more than 90 % is none",
                             to_text(motor.saliency, "%")));
  if ((Torque() < motor.cogging_torque) != (motor.cogging_per_turn > 0))
    errors.error(motor.cogging_per_turn > 0 ? "cogging_per_turn" : "cogging_torque",
                 "cogging_torque and cogging_per_turn belong together: how strong, and how often a turn");
}

void check(PartErrors& errors, const SixGateInverter& board) {
  if (!board.bootstrap_holds) {
    if (Time() < board.bootstrap_refresh)
      errors.error("bootstrap_refresh",
                   "bootstrap_refresh: without bootstrap_holds nothing has to be refreshed");
  } else if (!(Time() < board.bootstrap_refresh)) {
    errors.error("bootstrap_holds",
                 "bootstrap_holds wants bootstrap_refresh beside it: until when the capacitor is full again");
  } else if (*board.bootstrap_holds <= board.bootstrap_refresh) {
    errors.error("bootstrap_holds",
                 fmt::format("bootstrap_holds: {} is not longer than it takes to fill it, {}",
                             to_text(*board.bootstrap_holds, "ms"), to_text(board.bootstrap_refresh, "us")));
  }
}

void check(PartErrors& errors, const TransistorArray& board) {
  check_terminals(errors, board.terminals);
}

void check(PartErrors& errors, const DualHBridge& board) {
  check_terminals(errors, board.terminals);
}

void check(PartErrors& errors, const PulseWidthInput& board) {
  if (Time() < board.longest_pulse && board.longest_pulse <= board.shortest_pulse)
    errors.error("longest_pulse",
                 fmt::format("longest_pulse: {} is not above the shortest, {}",
                             to_text(board.longest_pulse, "ms"), to_text(board.shortest_pulse, "ms")));
  if (board.centre_pulse &&
      (*board.centre_pulse <= board.shortest_pulse || board.longest_pulse <= *board.centre_pulse))
    errors.error("centre_pulse",
                 fmt::format("centre_pulse: {} does not lie between the shortest, {}, and the longest, {}",
                             to_text(*board.centre_pulse, "ms"), to_text(board.shortest_pulse, "ms"),
                             to_text(board.longest_pulse, "ms")));
  const double frame = 1.0 / std::max(1e-9, board.frame_rate.base().to_double());
  if (errors.has("frame_rate") && board.longest_pulse.base() >= frame)
    errors.error("frame_rate",
                 fmt::format("frame_rate: a frame of {} has no room for a pulse of {}",
                             to_text(board.frame_rate, "Hz"), to_text(board.longest_pulse, "ms")));
}

void check(PartErrors& errors, const HallSet& halls) {
  if (!(halls.stands_at.base() * Ratio(6)).is_whole())
    errors.error("stands_at", fmt::format("stands_at: found {}; expected a multiple of 60 deg",
                                          to_text(OutputPosition(halls.stands_at))));
  const Ratio spacing = halls.spacing.base();
  if (Ratio(0) < spacing && spacing != Ratio(1, 6) && spacing != Ratio(1, 3))
    errors.error("spacing", fmt::format("spacing: found {}; expected \"60 deg\" or \"120 deg\"",
                                        to_text(OutputPosition(halls.spacing))));
}

void check(PartErrors& errors, const PlaceSwitch& place_switch) {
  if (!place_switch.is_window && place_switch.acts_at == place_switch.releases_at && errors.has("acts_at") &&
      errors.has("releases_at"))
    errors.error("releases_at", "releases_at is the same as acts_at: on which side of it does it act?");
}

void check_limits(PartErrors& errors, const Limits& limits, const std::optional<HardEnds>& hard_ends) {
  const auto not_over = [&](const char* key, const OutputSpeed& speed) {
    if (limits.speed.base > Ratio(0) && speed.base > limits.speed.base)
      errors.error(
          key, fmt::format("{} {} is over the top speed of {}", key, to_text(speed), to_text(limits.speed)));
  };
  not_over("start_speed", limits.start_speed);
  if (hard_ends) {
    const bool inside = (!limits.travel_from || hard_ends->from.base <= limits.travel_from->base) &&
                        (!limits.travel_to || limits.travel_to->base <= hard_ends->to.base);
    if (!inside) errors.error("hard_ends", "the hard ends lie inside the travel");
  }
  if (limits.lowest_duty && limits.highest_duty && *limits.highest_duty < *limits.lowest_duty)
    errors.error("", "the lowest duty is above the highest");
}

namespace {
/// Switches and encoders by name: what homing can go to.
std::vector<std::string> homing_sensors(const std::vector<Sensor>& sensors) {
  std::vector<std::string> names;
  for (const Sensor& sensor : sensors)
    if (std::holds_alternative<PlaceSwitch>(sensor) || std::holds_alternative<Encoder>(sensor))
      names.push_back(name_of(sensor));
  return names;
}

/// What of `homing` an encoder or a switch cannot do.
void check_homing_sensor(PartErrors& errors, const Homing& homing, const std::vector<Sensor>& sensors) {
  const auto named = [&](const std::string& name) -> const Encoder* {
    for (const Sensor& sensor : sensors)
      if (name_of(sensor) == name) return std::get_if<Encoder>(&sensor);
    return nullptr;
  };
  const Encoder* const encoder = named(homing.sensor);
  if (homing.goes_to && encoder == nullptr)
    errors.error("goes_to", "goes_to: is for an encoder; a switch has one edge to go to");
  const bool by_index = encoder != nullptr && homing.goes_to.value_or(HomesTo::index) == HomesTo::index;
  if (by_index && !encoder->line_index)
    errors.error("sensor", fmt::format("sensor: {} has no line_index to home to", homing.sensor));
  if (!homing.then_index_of) return;
  const Encoder* const next = named(*homing.then_index_of);
  if (encoder != nullptr || next == nullptr || !next->line_index) {
    errors.error("then_index_of",
                 "then_index_of: needs a switch as `sensor`, and an encoder with a line_index");
  }
}

}  // namespace

void check_homing(PartErrors& errors, const Homing& homing, OutputKind kind, const Limits& limits,
                  const std::vector<Sensor>& sensors) {
  const std::vector<std::string> names = homing_sensors(sensors);
  const auto not_over = [&](const char* key, const OutputSpeed& speed, const OutputSpeed& top) {
    if (top.base > Ratio(0) && speed.base > top.base)
      errors.error(key, fmt::format("{} {} is over the top speed of {}", key, to_text(speed), to_text(top)));
  };
  not_over("speed", homing.speed, limits.speed);
  not_over("slow_speed", homing.slow_speed, homing.speed);
  if (!homing.sensor.empty() && std::find(names.begin(), names.end(), homing.sensor) == names.end()) {
    errors.error("sensor",
                 fmt::format("sensor: found \"{}\"; this mechanism has {}", homing.sensor,
                             names.empty() ? "no switch" : fmt::format("{}", fmt::join(names, ", "))));
  } else {
    check_homing_sensor(errors, homing, sensors);
  }
  const bool has_travel = limits.travel_from && limits.travel_from->base < limits.travel_to->base;
  if (has_travel &&
      (homing.position.base < limits.travel_from->base || homing.position.base > limits.travel_to->base)) {
    errors.error("position", fmt::format("position {} is outside the travel", to_text(homing.position)));
  }
  if (!limits.travel_from && kind == OutputKind::linear) {
    errors.error("", "homing along a line needs limits.travel, to know when to give up");
  }
}

void check_by_hand(PartErrors& errors, const Mechanism& mechanism) {
  const ByHand& by_hand = mechanism.by_hand;
  const auto within = [&](const char* key, const auto& amount, const auto& limit) {
    if (amount && Ratio(0) < limit.base && limit.base < amount->base)
      errors.error(key, fmt::format("{}: {} is over its limit of {}", key, to_text(*amount), to_text(limit)));
  };
  within("speed", by_hand.speed, mechanism.limits.speed);
  within("acceleration", by_hand.acceleration, mechanism.limits.acceleration);
}

void check_wiring(PartErrors& errors, const Mechanism& mechanism) {
  if (const auto* const steps = std::get_if<StepDirWiring>(&mechanism.wiring)) {
    const auto& rows = mechanism.step_dir().microsteps_by_switch;
    const std::size_t selects = steps->microstep_select.size();
    const std::size_t positions = rows.empty() ? 0 : rows.begin()->first.size();
    if (selects > 0 && selects != positions)
      errors.error(
          "microstep_select",
          fmt::format("microstep_select: found {} lines; board.microsteps_by_switch has {} positions",
                      selects, positions));
  } else if (const auto* const wiring = std::get_if<BridgeWiring>(&mechanism.wiring)) {
    const auto* const bridge = std::get_if<HBridge>(&mechanism.board);
    if (wiring->decay == Decay::fast && !wiring->enable && bridge != nullptr &&
        bridge->form != HBridge::Form::four_channel)
      errors.error("decay", "decay: for fast decay a line has to switch the bridge off: give it `enable`");
  } else if (const auto* const gates = std::get_if<GateWiring>(&mechanism.wiring)) {
    if (gates->complementary && gates->switched != SwitchedSide::high)
      errors.error("complementary",
                   "complementary: the other transistor of a leg takes over where the high side is switched; "
                   "leave `switched` out");
  } else if (const auto* const coils = std::get_if<CoilWiring>(&mechanism.wiring)) {
    if (!coils->terminals.empty() && coils->terminals.size() != 4)
      errors.error("terminals",
                   fmt::format("terminals: found {} lines; the board has 4 inputs", coils->terminals.size()));
  }
}

void check_board_fits(PartErrors& errors, const Mechanism& mechanism) {
  if (fits(mechanism.motor, mechanism.board)) return;
  std::vector<std::string> others;
  for (const NamedKind<Board>& other : board_kinds())
    if (fits(mechanism.motor, other.part)) others.push_back(fmt::format("\"{}\"", other.word));
  errors.error("kind",
               fmt::format("kind: a {} cannot drive a {} motor; boards that can: {}",
                           kind_name(mechanism.board), kind_name(mechanism.motor), fmt::join(others, ", ")));
}

}  // namespace cogstride
