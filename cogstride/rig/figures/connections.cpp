#include "cogstride/rig/figures/connections.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

std::string motor_leads(const Mechanism& mechanism) {
  if (const auto* const stepper = std::get_if<Stepper>(&mechanism.motor)) {
    const std::vector<std::string> names = lead_names(stepper->leads);
    std::vector<std::string> leads;
    std::vector<std::string> taps;
    for (std::size_t i = 0; i < names.size(); ++i) {
      const bool is_tap = names[i].find("tap") != std::string::npos;
      std::string lead =
          i < stepper->wires.size() ? fmt::format("{} {}", names[i], stepper->wires[i]) : names[i];
      (is_tap ? taps : leads).push_back(std::move(lead));
    }
    std::string words = fmt::format("{}, each to the output of that name", fmt::join(leads, ", "));
    if (stepper->phases == Stepper::Phases::unipolar && !taps.empty())
      return fmt::format("{}; {} to the supply", words, fmt::join(taps, ", "));
    if (stepper->halves == Stepper::Halves::series)
      return words + (taps.empty() ? "; the two halves of a coil in series"
                                   : fmt::format("; {} left free", fmt::join(taps, ", ")));
    if (stepper->halves == Stepper::Halves::parallel) return words + "; the two halves of a coil in parallel";
    if (stepper->halves == Stepper::Halves::one) return words + "; one half of each coil, its other end free";
    return words;
  }
  if (std::holds_alternative<BrushedMotor>(mechanism.motor))
    return mechanism.reversed ? "+ and - to its bridge's two outputs; turned round by the rig (reversed)"
                              : "+ and - to its bridge's two outputs: + is the higher one forwards";
  if (std::holds_alternative<BusDrive>(mechanism.board))
    return "A, B and C to the outputs of its drive, and its encoder to the drive too";
  if (std::holds_alternative<BrushlessMotor>(mechanism.motor))
    return "A, B and C to the outputs of legs a, b and c";
  if (std::holds_alternative<ThrottledMotor>(mechanism.motor))
    return "three to its speed controller: any two exchanged turn it round";
  return "inside it";
}

const char* level(ActiveLevel of) {
  return of == ActiveLevel::low ? "low" : "high";
}

/// What is not driven: "ENABLE tied low".
std::string not_driven(const Mechanism& mechanism) {
  return std::visit(
      [&](const auto& board) -> std::string {
        if constexpr (requires { board.enable_open; }) {
          if (mechanism.common.enable == EnableUse::tied)
            return fmt::format("ENABLE tied {}, its active level", level(board.enable_active));
          if (mechanism.common.enable == EnableUse::open)
            return fmt::format("ENABLE left open{}",
                               !board.enable_open ? ": what the board does then, the rig does not say"
                               : *board.enable_open == OpenEnable::on ? ": the board is on then"
                                                                      : ": the board is OFF then");
        }
        return "";
      },
      mechanism.board);
}

std::string switches(const Mechanism& mechanism) {
  const auto* const board = std::get_if<StepDirBoard>(&mechanism.board);
  if (board == nullptr) return "";
  std::vector<std::string> set;
  const auto* const wiring = std::get_if<StepDirWiring>(&mechanism.wiring);
  if (wiring != nullptr && !wiring->microstep_select.empty())
    set.push_back(fmt::format("{} microsteps by its select lines", board->microsteps));
  else if (board->microstep_switches)
    set.push_back(fmt::format("microsteps at {} ({})", *board->microstep_switches, board->microsteps));
  else if (mechanism.is_movable_stepper())
    set.push_back(fmt::format("{} microsteps (positions not said)", board->microsteps));
  if (board->current_switches)
    set.push_back(
        fmt::format("current at {} ({})", *board->current_switches, to_text(board->current, "A", 3)));
  else if (mechanism.is_movable_stepper())
    set.push_back(fmt::format("current {}", to_text(board->current, "A", 3)));
  return fmt::format("{}", fmt::join(set, ", "));
}

}  // namespace

std::vector<Connection> connections_of(const Rig& rig, const Mechanism& mechanism) {
  const Supply& supply = mechanism.supply;
  std::vector<Connection> all{{"motor leads", motor_leads(mechanism)}};
  if (const auto* const wiring = std::get_if<BusWiring>(&mechanism.wiring);
      wiring != nullptr && rig.controller.bus)
    all.push_back(
        {"bus", fmt::format("{} at {:g} kbit/s: high, low and ground; its id is {}; 120 ohm at each "
                            "of the bus' two ends",
                            rig.controller.bus->interface_name,
                            1e-3 * static_cast<double>(rig.controller.bus->bit_rate), wiring->id)});
  std::string fed = fmt::format("{}, {} with up to {}", supply.name, to_text(supply.voltage, "V", 4),
                                to_text(supply.current, "A", 4));
  all.push_back({"supply", std::move(fed)});
  all.push_back(
      {"ground",
       is_isolated(rig, mechanism) ? "its inputs are isolated: their return to the controller"
       : !supply.ground_joined     ? fmt::format("of {}: whether it is joined with the controller's, the "
                                                     "rig does not say",
                                                 supply.name)
       : *supply.ground_joined     ? fmt::format("of {} joined with the controller's", supply.name)
                                   : fmt::format("of {} NOT joined with the controller's", supply.name)});
  if (std::string set = switches(mechanism); !set.empty()) all.push_back({"switches", std::move(set)});
  if (std::string open = not_driven(mechanism); !open.empty()) all.push_back({"not driven", std::move(open)});
  return all;
}

}  // namespace cogstride
