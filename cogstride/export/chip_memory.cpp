#include "cogstride/export/chip_memory.hpp"

#include <fmt/format.h>

#include <set>

#include "cogstride/link/link_map.hpp"

namespace cogstride {
namespace {

// Bytes that the parts of a program come to; scripts/test-chip holds sums of them against the linker's
// figures.
constexpr std::int64_t any_program = 11'700;
constexpr std::int64_t axis_by_step = 2314;
constexpr std::int64_t axis_by_rows = 2536;
constexpr std::int64_t no_homing = 156;
constexpr std::int64_t any_stop = 94;
constexpr std::int64_t any_output = 66;
constexpr std::int64_t any_end = 68;
constexpr std::int64_t any_stretch = 217;
constexpr std::int64_t any_input = 74;
constexpr std::int64_t any_hand = 262;
constexpr std::int64_t any_key = 370;
constexpr std::int64_t any_knob = 438;
constexpr std::int64_t one_more = 24;  // of the simple ones
constexpr std::int64_t one_more_hand = 148;
constexpr std::int64_t any_follower = 2608;
constexpr std::int64_t any_ram = 199;
constexpr std::int64_t ram_by_step = 578;
constexpr std::int64_t ram_by_rows = 605;
constexpr std::int64_t ram_by_key = 8;
constexpr std::int64_t ram_by_knob = 20;
constexpr std::int64_t ram_by_follower = 56;
// Of a program that plays what a computer plans.
constexpr std::int64_t linked_program = 16'000;
constexpr std::int64_t linked_by_step = 2768;
constexpr std::int64_t linked_by_rows = 3240;
constexpr std::int64_t linked_ram = 652;
constexpr std::int64_t linked_ram_by_step = 548;
constexpr std::int64_t linked_ram_by_rows = 578;
constexpr std::int64_t linked_counter = 6040;
constexpr std::int64_t linked_counter_more = 140;
constexpr std::int64_t linked_duties = 330;
constexpr std::int64_t linked_frame = 360;
constexpr std::int64_t linked_loop = 5120;
constexpr std::int64_t linked_ram_by_loop = 314;
constexpr std::int64_t linked_ram_by_counter = 209;
constexpr std::int64_t linked_ram_by_duties = 108;
constexpr std::int64_t linked_ram_by_frame = 12;
constexpr std::int64_t any_catching_up = 100;  // of an axis, in each interrupt of edges
constexpr std::int64_t stack = 180;            // an interrupt in an interrupt's end, below the main program

/// Ports whose edges bring an interrupt.
std::int64_t edge_ports(const MadeProgram& made, const LinkMap* map) {
  std::set<char> ports;
  if (map != nullptr) {
    for (const LinkMap::Line& line : map->lines)
      if (line.use == LinkMap::Use::input || line.use == LinkMap::Use::counted) ports.insert(line.pin.port);
  } else {
    for (const ChipAxis& axis : made.parts.axes) {
      if (axis.sensor) ports.insert(axis.sensor->pin.port);
      for (const ChipInput& end : axis.ends) ports.insert(end.line.pin.port);
    }
    for (const ChipInput& stop : made.parts.stops) ports.insert(stop.line.pin.port);
    for (const ChipParts::Leader& leader : made.parts.leaders) ports.insert(leader.a.pin.port);
  }
  return static_cast<std::int64_t>(ports.size());
}

std::int64_t several(std::size_t count, std::int64_t first, std::int64_t more = one_more) {
  return count == 0 ? 0 : first + more * (static_cast<std::int64_t>(count) - 1);
}

}  // namespace

ChipMemory chip_memory(const MadeProgram& made) {
  ChipMemory memory;
  if (made.is_linked) {
    memory.flash = linked_program;
    memory.ram = linked_ram;
    for (const ChipAxis& axis : made.parts.axes) {
      memory.flash += axis.has_coils ? linked_by_rows : linked_by_step;
      memory.ram += axis.has_coils ? linked_ram_by_rows : linked_ram_by_step;
    }
    const LinkMap map = link_map(*made.rig);
    memory.flash +=
        any_catching_up * static_cast<std::int64_t>(made.parts.axes.size()) * edge_ports(made, &map);
    const auto counters = static_cast<std::int64_t>(map.counters.size());
    memory.flash += several(map.counters.size(), linked_counter, linked_counter_more);
    memory.ram += counters * linked_ram_by_counter;
    memory.flash += several(map.loops.size(), linked_loop, 0);
    memory.ram += linked_ram_by_loop * static_cast<std::int64_t>(map.loops.size());
    if (!map.duties.empty()) {
      memory.flash += linked_duties;
      memory.ram += linked_ram_by_duties;
    }
    if (map.has_frame()) {
      memory.flash += linked_frame;
      memory.ram += linked_ram_by_frame;
    }
    return memory;
  }
  const auto axes = static_cast<std::int64_t>(made.parts.axes.size());
  for (const RunTable& table : made.program.tables)
    memory.tables += 12 * static_cast<std::int64_t>(table.runs.size());
  for (const ChipStretch& stretch : made.program.stretches) {
    memory.tables += 3 * axes;
    for (const std::vector<std::size_t>& tables : stretch.tables)
      memory.tables += 4 * static_cast<std::int64_t>(tables.size());
  }
  memory.tables += 4 * static_cast<std::int64_t>(made.program.steps.size());
  memory.flash = any_catching_up * axes * edge_ports(made, nullptr);
  memory.flash += any_program + memory.tables + several(made.parts.stops.size(), any_stop) +
                  several(made.parts.outputs.size(), any_output) +
                  several(made.parts.inputs.size(), any_input) +
                  (made.program.stretches.empty() ? 0 : any_stretch);
  const ChipHands& hands = made.parts.hands;
  memory.flash += several(hands.keys.size(), any_key, one_more_hand) +
                  several(hands.knobs.size(), any_knob, one_more_hand) +
                  (hands.keys.empty() && hands.knobs.empty() ? 0 : any_hand);
  memory.ram = any_ram + ram_by_key * static_cast<std::int64_t>(hands.keys.size()) +
               ram_by_knob * static_cast<std::int64_t>(hands.knobs.size());
  std::set<std::size_t> followers;
  for (const ChipLeading& leading : made.program.leadings) followers.insert(leading.axis);
  memory.flash += any_follower * static_cast<std::int64_t>(followers.size()) +
                  several(made.program.leadings.size(), 0, one_more_hand) +
                  several(made.program.followed.size(), 0);
  memory.ram += ram_by_follower * static_cast<std::int64_t>(followers.size());
  for (const ChipAxis& axis : made.parts.axes) {
    memory.flash += axis.has_coils ? axis_by_rows : axis_by_step;
    memory.flash += (axis.goal ? 0 : no_homing) + several(axis.ends.size(), any_end);
    memory.ram += axis.has_coils ? ram_by_rows : ram_by_step;
  }
  return memory;
}

std::vector<Finding> memory_findings(const MadeProgram& made) {
  std::vector<Finding> findings;
  const SmallChip& chip = *made.rig->controller.small_chip;
  const ChipMemory memory = chip_memory(made);
  if (memory.flash > chip.flash_bytes)
    findings.push_back(
        {"chip-memory",
         Severity::error,
         "",
         {},
         fmt::format("the program takes about {} bytes of flash, {} of them for the script's motions; the "
                     "chip has {}",
                     memory.flash, memory.tables, chip.flash_bytes),
         "fewer different motions: repeats whose passes end where they began, trapezoids (no jerk limit)"});
  if (memory.ram + stack > chip.ram_bytes)
    findings.push_back(
        {"chip-memory",
         Severity::error,
         "",
         {},
         fmt::format("the program takes about {} bytes of RAM, and a stack of some {}; the chip has {}",
                     memory.ram, stack, chip.ram_bytes),
         "fewer axes"});
  return findings;
}

}  // namespace cogstride
