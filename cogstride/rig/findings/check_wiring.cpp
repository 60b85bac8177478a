// Lines, levels, grounds and what the controller has of timers, counters and analogue inputs.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <map>

#include "cogstride/rig/figures/derive.hpp"
#include "cogstride/rig/findings/finding_sheet.hpp"
#include "cogstride/rig/keys/part_keys.hpp"

namespace cogstride {
namespace {

std::string volts(Voltage voltage) {
  return fmt::format("{:.4g} V", voltage.in(units::V));
}
std::string milliamperes(Current current) {
  return fmt::format("{:.3g} mA", current.in(units::mA));
}
const char* level_word(ActiveLevel level) {
  return level == ActiveLevel::low ? "low" : "high";
}

struct EnableInput {
  ActiveLevel active = ActiveLevel::high;
  std::optional<OpenEnable> open{};
};

std::optional<EnableInput> enable_input(const Board& board) {
  return std::visit(
      [](const auto& kind) -> std::optional<EnableInput> {
        if constexpr (requires { kind.enable_open; })
          return EnableInput{kind.enable_active, kind.enable_open};
        return std::nullopt;
      },
      board);
}

std::optional<DrivenLine> enable_line(const BoardWiring& wiring) {
  return std::visit(
      [](const auto& kind) -> std::optional<DrivenLine> {
        if constexpr (requires { kind.enable; }) return kind.enable;
        return std::nullopt;
      },
      wiring);
}

void check_enable(MechanismSheet& sheet) {
  const Mechanism& mechanism = sheet.mechanism;
  const std::optional<EnableInput> input = enable_input(mechanism.board);
  if (!input) return;
  const std::optional<DrivenLine> line = enable_line(mechanism.wiring);
  if (line && line->active != input->active) {
    const char* const wanted = level_word(input->active);
    sheet.add(
        "enable-inverted", "lines.enable",
        fmt::format("ENABLE is driven the other way than the board wants it, which is {}", wanted),
        fmt::format("write active = \"{}\", or leave it out; where an inverting part stands between, say so "
                    "in board.enable_active",
                    wanted));
  }
  if (mechanism.common.enable != EnableUse::open) return;
  if (!input->open) {
    sheet.cannot_check("enable-left-open", "board.enable_open");
  } else if (*input->open == OpenEnable::off) {
    sheet.add("enable-left-open", "lines.enable", "ENABLE is left open, and the board is off then",
              fmt::format("tie it {}, or wire it to a line", level_word(input->active)));
  }
}

/// Lines at the connector's terminals against lines by coil end: two ways of saying the same.
void check_coil_order(MechanismSheet& sheet) {
  const auto* const wiring = std::get_if<CoilWiring>(&sheet.mechanism.wiring);
  if (wiring == nullptr) return;
  const auto* const array = std::get_if<TransistorArray>(&sheet.mechanism.board);
  const auto* const dual = std::get_if<DualHBridge>(&sheet.mechanism.board);
  const std::vector<CoilEnd>& feeds = array != nullptr ? array->terminals : dual->terminals;
  if (feeds.empty()) return sheet.cannot_check("coil-order", "board.terminals");
  if (wiring->terminals.empty()) return sheet.cannot_check("coil-order", "lines.terminals");
  std::array<DrivenLine, 4> coils = wiring->coils;
  if (sheet.mechanism.reversed) std::swap(coils[2], coils[3]);  // as the file has them
  std::array<std::string, 4> rights;                            // by coil end
  bool wrong = false;
  for (std::size_t i = 0; i < feeds.size(); ++i) {
    const auto end = static_cast<std::size_t>(feeds[i]);
    rights[end] = fmt::format("{} = {}", coil_names[end], wiring->terminals[i]);
    wrong = wrong || coils[end].number != wiring->terminals[i];
  }
  if (!wrong) return;
  std::vector<std::int64_t> by_coil;
  for (const DrivenLine& coil : coils) by_coil.push_back(coil.number);
  const bool connector_order = by_coil == wiring->terminals;
  sheet.add("coil-order", "lines.a_plus",
            fmt::format("the lines of the coil ends are {}{}; by the terminals they are {}",
                        fmt::join(by_coil, ", "), connector_order ? ", which is connector order" : "",
                        fmt::join(rights, ", ")),
            "give each coil end the line that the terminals say, or put right what terminals says");
}

void check_levels(MechanismSheet& sheet) {
  const BoardInputs& inputs = inputs_of(sheet.mechanism.board);
  const Controller& controller = sheet.rig.controller;
  const auto& through = sheet.mechanism.common.through;
  const BetweenPart* const part = through ? find_part(sheet.rig, *through) : nullptr;
  if (part != nullptr && part->input_threshold && controller.logic_level < *part->input_threshold) {
    sheet.add("level-too-low", "lines.through",
              fmt::format("a line's high level is {}, and {} takes {} for high",
                          volts(controller.logic_level), part->name, volts(*part->input_threshold)),
              "take a part whose threshold lies lower");
  }
  const Voltage level = high_level_at_board(sheet.rig, sheet.mechanism);
  if (!inputs.threshold) {
    sheet.cannot_check("level-too-low", "board.input_threshold");
  } else if (level < *inputs.threshold) {
    sheet.add("level-too-low", "board.input_threshold",
              fmt::format("{} high level is {}, and the board takes {} for high",
                          part != nullptr ? part->name + "'s" : std::string("a line's"), volts(level),
                          volts(*inputs.threshold)),
              "put a level shifter between");
  }
  if (part != nullptr && part->output_current && inputs.resistance) {
    const Current taken = (part->output_level - inputs.drop) / *inputs.resistance;
    if (taken > *part->output_current)
      sheet.add("line-overloaded", "lines.through",
                fmt::format("an input takes {}, and {} gives {}", milliamperes(taken), part->name,
                            milliamperes(*part->output_current)),
                "take a part that gives more");
  }
}

void check_ground(MechanismSheet& sheet) {
  if (is_isolated(sheet.rig, sheet.mechanism)) return;
  const Supply& supply = sheet.mechanism.supply;
  if (!supply.ground_joined) {
    sheet.cannot_check_without("grounds-apart", fmt::format("supply.{}.ground_joined", supply.name));
  } else if (!*supply.ground_joined) {
    sheet.add(
        "grounds-apart", "supply",
        fmt::format("the ground of {} is not joined with the controller's, and nothing isolates the two",
                    supply.name),
        fmt::format("join the grounds and write supply.{}.ground_joined = true, or put an isolator between",
                    supply.name));
  }
}

/// Lines that switch something, on which a level at boot matters.
bool matters_at_boot(const std::string& use) {
  return use != "dir" && use != "sign" && use != "sleep" && use != "reset" &&
         use.rfind("microstep select", 0) != 0;
}

void check_boot(const Rig& rig, const std::vector<RigLine>& lines, FindingSheet& sheet,
                const std::string& key) {
  std::vector<std::string> floating;
  std::vector<std::string> on;
  for (const RigLine& line : lines) {
    if (!line.is_output || !matters_at_boot(line.use)) continue;
    const BoardInputs* const inputs = line.mechanism != nullptr ? &inputs_of(line.mechanism->board) : nullptr;
    std::optional<ActiveLevel> level = line.driven.external_pull;
    if (!level && inputs != nullptr) level = inputs->external_pull;
    // A floating line drives no current through a diode: the input stays off.
    if (!level && inputs != nullptr && Voltage() < inputs->drop &&
        rig.controller.at_boot == BootLevel::floating)
      continue;
    if (!level && rig.controller.at_boot == BootLevel::low) level = ActiveLevel::low;
    if (!level && rig.controller.at_boot == BootLevel::high) level = ActiveLevel::high;
    if (!level && !rig.controller.at_boot) return sheet.cannot_check("line-floats", "controller.at_boot");
    if (!level) floating.push_back(line.use);
    if (level && *level == line.driven.active && line.use != "step") on.push_back(line.use);
  }
  if (!floating.empty())
    sheet.add("line-floats", key,
              fmt::format("{} {} while the controller boots, and nothing holds {}", fmt::join(floating, ", "),
                          floating.size() == 1 ? "floats" : "float", floating.size() == 1 ? "it" : "them"),
              "a resistor of some 10 kohm to the level that means off, and external_pull = \"low\" or "
              "\"high\" beside the "
              "line");
  if (!on.empty())
    sheet.add(
        "line-floats", key,
        fmt::format("{} {} on while the controller boots", fmt::join(on, ", "),
                    on.size() == 1 ? "is" : "are"),
        "a resistor that holds the level which means off against the controller's, or an inverting part");
}

void check_line_current(const Rig& rig, const std::vector<RigLine>& lines, FindingSheet& sheet) {
  Current sum;
  std::string told;
  for (const RigLine& line : lines) {
    if (!line.is_output) continue;
    const std::optional<Current> taken = line_current(rig, line);
    if (!taken) {
      const std::string key = line.mechanism != nullptr && line.mechanism->common.through
                                  ? "part." + *line.mechanism->common.through + ".input_current"
                                  : "mechanism." + line.owner + ".board.input_resistance";
      sheet.cannot_check("line-overloaded", key);
      continue;
    }
    sum += *taken;
    if (*taken <= rig.controller.line_current || told == line.owner) continue;
    told = line.owner;
    const std::string key =
        line.mechanism == nullptr ? line.key : "mechanism." + line.owner + ".board.input_resistance";
    sheet.add("line-overloaded", key,
              fmt::format("{} takes {}, and a line gives {}",
                          line.mechanism == nullptr ? line.owner : std::string("an input"),
                          milliamperes(*taken), milliamperes(rig.controller.line_current)),
              "put a buffer between, or drive it with a transistor");
  }
  const auto& all = rig.controller.all_lines_current;
  if (!all) {
    sheet.cannot_check("line-overloaded", "controller.all_lines_current");
  } else if (sum > *all) {
    sheet.add("line-overloaded", "controller.all_lines_current",
              fmt::format("all outputs high take {}, and the lines give {} together", milliamperes(sum),
                          milliamperes(*all)),
              "buffers between, or boards whose inputs take less");
  }
}

void check_inputs(const Rig& rig, const std::vector<RigLine>& lines, FindingSheet& sheet) {
  for (const RigLine& line : lines) {
    if (line.is_output || !line.high_level) continue;
    if (rig.controller.input_threshold && *line.high_level < *rig.controller.input_threshold)
      sheet.add("level-too-low", line.key.substr(0, line.key.rfind('.')) + ".output_level",
                fmt::format("its output gives {}, and the controller takes {} for high",
                            volts(*line.high_level), volts(*rig.controller.input_threshold)),
                "a level shifter, or a sensor that gives more");
    if (!rig.controller.highest_input)
      return sheet.cannot_check("input-over-voltage", "controller.highest_input");
    if (*line.high_level <= *rig.controller.highest_input) continue;
    const std::string sensor = line.key.substr(0, line.key.rfind('.'));
    if (line.use.size() > 2 && line.key.find(".line_") != std::string::npos && line.key.back() != 'a' &&
        line.key.back() != '1')
      continue;  // one finding a sensor
    sheet.add("input-over-voltage", sensor + ".output_level",
              fmt::format("its output gives {}, and a line stands {}", volts(*line.high_level),
                          volts(*rig.controller.highest_input)),
              "two resistors as a divider, a level shifter, or feed the sensor with less");
  }
}

}  // namespace

void check_wiring(MechanismSheet& sheet) {
  check_enable(sheet);
  check_coil_order(sheet);
  check_levels(sheet);
  check_ground(sheet);
}

void check_lines(const Rig& rig, FindingSheet& sheet) {
  const std::vector<RigLine> lines = rig_lines(rig);
  check_line_current(rig, lines, sheet);
  check_inputs(rig, lines, sheet);
  for (const Mechanism& mechanism : rig.mechanisms) {
    std::vector<RigLine> own;
    for (const RigLine& line : lines)
      if (line.mechanism == &mechanism) own.push_back(line);
    check_boot(rig, own, sheet, "mechanism." + mechanism.name + ".lines");
  }
  for (const RigLine& line : lines)
    if (line.is_output && line.mechanism == nullptr) check_boot(rig, {line}, sheet, line.key);
}

}  // namespace cogstride
