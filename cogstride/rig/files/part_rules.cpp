#include "cogstride/rig/files/part_rules.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

/// What a table of switches sets at the given positions must be among its rows.
template <class Rows>
void check_positions(TomlTable& table, const char* key, const std::optional<std::string>& positions,
                     const Rows& rows) {
  if (!positions || rows.count(*positions) > 0) return;
  std::vector<std::string> known;
  for (const auto& [row, value] : rows) known.push_back(row);
  table.error(table.place_of(key),
              fmt::format("{}: \"{}\" is not a setting of this board ({})", key, *positions,
                          known.empty() ? "it has no table" : fmt::format("{}", fmt::join(known, ", "))),
              "switch-setting-unknown");
}

void check_terminals(TomlTable& table, const std::vector<CoilEnd>& terminals) {
  std::vector<CoilEnd> sorted = terminals;
  std::sort(sorted.begin(), sorted.end());
  const bool all = sorted.size() == 4 && std::adjacent_find(sorted.begin(), sorted.end()) == sorted.end();
  if (!terminals.empty() && !all)
    table.error(table.place_of("terminals"), "terminals: name each of a_plus, a_minus, b_plus, b_minus once");
}

}  // namespace

void check(TomlTable& table, const Stepper& motor) {
  if (motor.full_steps > 0 && motor.full_steps % 4 != 0) {
    table.error(
        table.place_of("full_steps"),
        fmt::format("full_steps: found {}; a two-phase stepper has a multiple of 4", motor.full_steps));
  }
  const bool bipolar = motor.phases == Stepper::Phases::bipolar;
  const bool leads_fit = motor.leads == 6 || motor.leads == 8 || motor.leads == (bipolar ? 4 : 5);
  if (!leads_fit) {
    table.error(table.place_of("leads"),
                fmt::format("leads: found {}; a {} stepper has {}, 6 or 8", motor.leads,
                            bipolar ? "bipolar" : "unipolar", bipolar ? 4 : 5));
  } else if (!motor.wires.empty() && motor.wires.size() != static_cast<std::size_t>(motor.leads)) {
    table.error(table.place_of("wires"),
                fmt::format("wires: found {} colours; the motor has {} leads: {}", motor.wires.size(),
                            motor.leads, fmt::join(lead_names(motor.leads), ", ")));
  }
  const bool whole = motor.halves == Stepper::Halves::whole;
  const bool parallel = motor.halves == Stepper::Halves::parallel;
  if (leads_fit && bipolar && (whole != (motor.leads == 4) || (parallel && motor.leads != 8))) {
    table.error(
        table.place_of("halves"),
        motor.leads == 4 ? "halves: a motor with 4 leads has whole coils only"
        : motor.leads == 6
            ? "halves: of 6 leads write \"one half\" or \"in series\": the amounts are those of one half"
            : "halves: of 8 leads write \"one half\", \"in series\" or \"in parallel\": the amounts are "
              "those "
              "of one half");
  }
}

void check(TomlTable& table, StepDirBoard& board) {
  if (board.microstep_settings.empty()) {
    for (const auto& [row, microsteps] : board.microsteps_by_switch)
      board.microstep_settings.push_back(microsteps);
    std::sort(board.microstep_settings.begin(), board.microstep_settings.end());
  }
  auto& settings = board.microstep_settings;
  if (settings.empty() && !table.has("microstep_settings") && !table.has("microsteps_by_switch"))
    table.error(table.place(),
                "microstep_settings is missing; expected a list of what can be set, or "
                "microsteps_by_switch with what its switches set");
  if (board.microsteps > 0 && !settings.empty() &&
      std::find(settings.begin(), settings.end(), board.microsteps) == settings.end()) {
    table.error(table.place_of("microsteps"),
                fmt::format("microsteps {} is not a setting of this board ({})", board.microsteps,
                            fmt::join(settings, ", ")),
                "switch-setting-unknown");
  }
  check_positions(table, "microstep_switches", board.microstep_switches, board.microsteps_by_switch);
  check_positions(table, "current_switches", board.current_switches, board.current_by_switch);
}

void check(TomlTable& table, const BrushlessMotor& motor) {
  if (ExactFraction::from_base(Ratio(9, 10)) < motor.saliency)
    table.error(table.place_of("saliency"),
                fmt::format("saliency: found {}; an inductance that swings by more than 90 % is none",
                            to_text(motor.saliency, "%")));
  if ((Torque() < motor.cogging_torque) != (motor.cogging_per_turn > 0))
    table.error(table.place_of(motor.cogging_per_turn > 0 ? "cogging_per_turn" : "cogging_torque"),
                "cogging_torque and cogging_per_turn belong together: how strong, and how often a turn");
}

void check(TomlTable& table, const SixGateInverter& board) {
  if (!board.bootstrap_holds) {
    if (Time() < board.bootstrap_refresh)
      table.error(table.place_of("bootstrap_refresh"),
                  "bootstrap_refresh: without bootstrap_holds nothing has to be refreshed");
  } else if (!(Time() < board.bootstrap_refresh)) {
    table.error(table.place_of("bootstrap_holds"),
                "bootstrap_holds wants bootstrap_refresh beside it: until when the capacitor is full again");
  } else if (*board.bootstrap_holds <= board.bootstrap_refresh) {
    table.error(table.place_of("bootstrap_holds"),
                fmt::format("bootstrap_holds: {} is not longer than it takes to fill it, {}",
                            to_text(*board.bootstrap_holds, "ms"), to_text(board.bootstrap_refresh, "us")));
  }
}

void check(TomlTable& table, const TransistorArray& board) {
  check_terminals(table, board.terminals);
}

void check(TomlTable& table, const DualHBridge& board) {
  check_terminals(table, board.terminals);
}

void check(TomlTable& table, const PulseWidthInput& board) {
  if (Time() < board.longest_pulse && board.longest_pulse <= board.shortest_pulse)
    table.error(table.place_of("longest_pulse"),
                fmt::format("longest_pulse: {} is not above the shortest, {}",
                            to_text(board.longest_pulse, "ms"), to_text(board.shortest_pulse, "ms")));
  if (board.centre_pulse &&
      (*board.centre_pulse <= board.shortest_pulse || board.longest_pulse <= *board.centre_pulse))
    table.error(table.place_of("centre_pulse"),
                fmt::format("centre_pulse: {} does not lie between the shortest, {}, and the longest, {}",
                            to_text(*board.centre_pulse, "ms"), to_text(board.shortest_pulse, "ms"),
                            to_text(board.longest_pulse, "ms")));
  const double frame = 1.0 / std::max(1e-9, board.frame_rate.base().to_double());
  if (table.has("frame_rate") && board.longest_pulse.base() >= frame)
    table.error(table.place_of("frame_rate"),
                fmt::format("frame_rate: a frame of {} has no room for a pulse of {}",
                            to_text(board.frame_rate, "Hz"), to_text(board.longest_pulse, "ms")));
}

void check(TomlTable& table, const HallSet& halls) {
  if (!(halls.stands_at.base() * Ratio(6)).is_whole())
    table.error(table.place_of("stands_at"), fmt::format("stands_at: found {}; expected a multiple of 60 deg",
                                                         to_text(OutputPosition(halls.stands_at))));
  const Ratio spacing = halls.spacing.base();
  if (Ratio(0) < spacing && spacing != Ratio(1, 6) && spacing != Ratio(1, 3))
    table.error(table.place_of("spacing"),
                fmt::format("spacing: found {}; expected \"60 deg\" or \"120 deg\"",
                            to_text(OutputPosition(halls.spacing))));
}

void check(TomlTable& table, const PlaceSwitch& place_switch) {
  if (!place_switch.is_window && place_switch.acts_at == place_switch.releases_at && table.has("acts_at") &&
      table.has("releases_at"))
    table.error(table.place_of("releases_at"),
                "releases_at is the same as acts_at: on which side of it does it act?");
}

}  // namespace cogstride
