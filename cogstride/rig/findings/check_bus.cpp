// A bus on which drives listen: ids, how busy it is, watches that are later than a stop allows, limits above
// what motors and supplies stand.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/board/bus/bus_figures.hpp"
#include "cogstride/plan/drive_figures.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/findings/finding_sheet.hpp"

namespace cogstride {
namespace {

constexpr double busy_from = 0.60;
constexpr double longest_silence = 1.0;  // s, that a drive may go on for while nobody watches it

std::int64_t id_of(const Mechanism& mechanism) {
  return std::get<BusWiring>(mechanism.wiring).id;
}

void check_ids(const Rig& rig, const std::vector<const Mechanism*>& drives, FindingSheet& sheet) {
  for (std::size_t i = 0; i < drives.size(); ++i) {
    const std::string key = fmt::format("mechanism.{}.lines.id", drives[i]->name);
    if (id_of(*drives[i]) == rig.controller.bus->id)
      sheet.add("bus-id-twice", key,
                fmt::format("{} is this computer's own id (controller.bus.id)", id_of(*drives[i])),
                "another id for one of the two");
    for (std::size_t before = 0; before < i; ++before)
      if (id_of(*drives[i]) == id_of(*drives[before]))
        sheet.add("bus-id-twice", key,
                  fmt::format("{} and {} both have the id {}: both would answer, and both would turn",
                              drives[before]->name, drives[i]->name, id_of(*drives[i])),
                  "an id of its own for each: give it to one drive alone on the bus");
  }
}

void check_load(const FieldBus& bus, const BusFigures& figures, FindingSheet& sheet) {
  if (figures.load <= busy_from) return;
  const double longer = bus.cycle.base() * figures.load / busy_from;
  sheet.add("bus-busy", "controller.bus.bit_rate",
            fmt::format(
                "{} drives each {} keep a bus of {} bit/s busy for {:.0f} % of its time: what is said beside "
                "that comes late, and a frame that has to be said again finds no room",
                figures.drives, to_text(bus.cycle, "ms"), bus.bit_rate, 100.0 * figures.load),
            fmt::format("a cycle of {:.0f} ms or more, or a higher bit rate", std::ceil(1e3 * longer)));
}

void check_watch(const FieldBus& bus, const std::vector<const Mechanism*>& drives, FindingSheet& sheet) {
  if (bus.silence.base() < 2.0 * bus.heartbeat.base())
    sheet.add(
        "heartbeat-too-slow", "controller.bus.silence",
        fmt::format("a heartbeat comes each {}, and after {} without one everything brakes: one that is "
                    "late would do it",
                    to_text(bus.heartbeat, "ms"), to_text(bus.silence, "ms")),
        fmt::format("a silence of {:.0f} ms or more", 3e3 * bus.heartbeat.base()));
  if (bus.silence.base() > longest_silence)
    sheet.add("heartbeat-too-slow", "controller.bus.silence",
              fmt::format("a drive goes on as it was told for {} when this program is gone",
                          to_text(bus.silence, "ms")),
              "a silence of a second or less");
  for (const Mechanism* const each : drives) {
    const double blind = each->limits.speed.base.to_double() * bus.silence.base();
    const Limits& limits = each->limits;
    if (limits.travel_from && each->hard_ends) {
      const double left = std::min((limits.travel_from->base - each->hard_ends->from.base).to_double(),
                                   (each->hard_ends->to.base - limits.travel_to->base).to_double());
      const double stops = limits.speed.base.to_double() * limits.speed.base.to_double() /
                           (2.0 * drive_steepest(*each) / steps_per_base(*each).to_double());
      if (blind + stops > left)
        sheet.add(
            "heartbeat-too-slow", "controller.bus.silence",
            fmt::format("at {} {} goes on for {:.3g} {} before it notices that this program is gone and has "
                        "braked, and {:.3g} {} are left to its hard end",
                        to_text(limits.speed), each->name,
                        display_units_per_base(output_kind(each->train)) * (blind + stops),
                        display_unit(output_kind(each->train), 0),
                        display_units_per_base(output_kind(each->train)) * left,
                        display_unit(output_kind(each->train), 0)),
            "a shorter silence, or a lower speed");
    }
  }
}

void check_limits_of(const Mechanism& mechanism, FindingSheet& sheet) {
  const std::string key = "mechanism." + mechanism.name + ".";
  const DriveMotorFigures motor = drive_motor_figures(mechanism);
  const auto& board = std::get<BusDrive>(mechanism.board);
  constexpr double for_a_while = 2.0;  // of the rated current, that a ramp may have
  if (const auto& limit = mechanism.limits.current;
      limit && motor.rated_current > 0.0 && limit->base() > for_a_while * motor.rated_current)
    sheet.add(
        "drive-above-motor", key + "limits.current",
        fmt::format("the drive may give {}, and the motor is rated for {:.3g} A: more than twice that warms "
                    "it faster than its drive notices",
                    to_text(*limit, "A"), motor.rated_current),
        fmt::format("{:.3g} A or less", for_a_while * motor.rated_current));
  // What it can turn with at its supply, by its back-EMF.
  const double emf = motor.torque_constant * 2.0 * pi * mechanism.limits.speed.base.to_double() *
                     std::abs(motor_turns_per_base(mechanism.train).to_double());
  const double supply = mechanism.supply.voltage.base();
  if (supply > 0.0 && emf > supply)
    sheet.add("drive-above-motor", key + "limits.speed",
              fmt::format("at {} the motor makes {:.3g} V by itself, and its supply has {}",
                          to_text(mechanism.limits.speed), emf, to_text(mechanism.supply.voltage, "V")),
              "a lower speed, or a supply of a higher voltage");
  if (board.supply_current.base() > mechanism.supply.current.base())
    sheet.add("drive-above-supply", key + "board.supply_current",
              fmt::format("the drive may take {}, and {} gives {}", to_text(board.supply_current, "A"),
                          mechanism.supply.name, to_text(mechanism.supply.current, "A")),
              fmt::format("{} or less", to_text(mechanism.supply.current, "A")));
  if (!board.supply_current_set_at)
    sheet.cannot_check("drive-above-supply", key + "board.supply_current_set_at");
}

/// Of one supply: all that its drives may take together.
void check_together(const std::vector<const Mechanism*>& drives, FindingSheet& sheet) {
  for (std::size_t i = 0; i < drives.size(); ++i) {
    const Supply& supply = drives[i]->supply;
    double all = 0.0;
    bool is_first = true;
    std::vector<std::string> names;
    for (std::size_t j = 0; j < drives.size(); ++j) {
      if (drives[j]->supply.name != supply.name) continue;
      is_first = is_first && j >= i;
      all += std::get<BusDrive>(drives[j]->board).supply_current.base();
      names.push_back(drives[j]->name);
    }
    if (!is_first || names.size() < 2 || all <= supply.current.base()) continue;
    std::string together = names.front();
    for (std::size_t n = 1; n < names.size(); ++n)
      together += (n + 1 == names.size() ? " and " : ", ") + names[n];
    sheet.add("drives-above-supply", "supply." + supply.name + ".current",
              fmt::format("{} may take {:.3g} A together, and {} gives {}: it sags when all speed up at once",
                          together, all, supply.name, to_text(supply.current, "A")),
              fmt::format("limits of {:.3g} A each, gentler ramps, or a stronger supply",
                          supply.current.base() / static_cast<double>(names.size())));
  }
}

}  // namespace

void check_bus(const Rig& rig, FindingSheet& sheet) {
  std::vector<const Mechanism*> drives;
  for (const Mechanism& mechanism : rig.mechanisms)
    if (mechanism.has_bus_drive()) drives.push_back(&mechanism);
  if (drives.empty()) return;
  if (!rig.controller.bus) {
    sheet.add("bus-missing", fmt::format("mechanism.{}.board.kind", drives.front()->name),
              fmt::format("{} has a drive on a bus, and the controller has none", drives.front()->name),
              "[controller.bus], with its bit rate");
    return;
  }
  const FieldBus& bus = *rig.controller.bus;
  check_ids(rig, drives, sheet);
  check_load(bus, bus_figures(bus, drives_of(rig.mechanisms)), sheet);
  check_watch(bus, drives, sheet);
  for (const Mechanism* const each : drives) check_limits_of(*each, sheet);
  check_together(drives, sheet);
}

}  // namespace cogstride
