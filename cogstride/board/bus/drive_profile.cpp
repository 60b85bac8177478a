#include "cogstride/board/bus/drive_profile.hpp"

#include <algorithm>
#include <array>

namespace cogstride {
namespace {

constexpr std::uint16_t shutdown = 0x06;
constexpr std::uint16_t switch_on = 0x07;
constexpr std::uint16_t enable_operation = 0x0f;
constexpr std::uint16_t disable_voltage = 0x00;
constexpr std::uint16_t quick_stop_word = 0x02;

struct StatePattern {
  std::uint16_t mask;
  std::uint16_t bits;
  DriveState state;
};
constexpr std::array<StatePattern, 8> state_patterns{{
    {0x4f, 0x00, DriveState::not_ready},
    {0x4f, 0x40, DriveState::switch_on_disabled},
    {0x6f, 0x21, DriveState::ready},
    {0x6f, 0x23, DriveState::switched_on},
    {0x6f, 0x27, DriveState::enabled},
    {0x6f, 0x07, DriveState::quick_stop},
    {0x4f, 0x0f, DriveState::fault_reaction},
    {0x4f, 0x08, DriveState::fault},
}};

// The most special ones first: one of them stands for all that begin alike.
constexpr const char* look_at_motor =
    "look at the motor's leads and windings for a short circuit, and at its current limits";
constexpr std::array<DriveFault, 38> faults_known{{
    {0x2310, "continuous over-current of the motor",
     "let it move more gently, or lower what loads it; look at its current limits"},
    {0x2320, "short circuit or earth leakage at its outputs", look_at_motor},
    {0x2340, "short circuit of the motor", look_at_motor},
    {0x2220, "continuous over-current inside it", "let it move more gently, or lower what loads it"},
    {0x3110, "its mains voltage is too high", "look at what feeds it"},
    {0x3120, "its mains voltage is too low", "look at what feeds it"},
    {0x3130, "a phase of its mains fails", "look at its fuses and wires"},
    {0x3210, "its supply's voltage is too high",
     "braking feeds it: brake more gently, or give the supply a resistor that takes it"},
    {0x3220, "its supply's voltage is too low",
     "look whether the supply is on, at its fuse, and at what else it feeds"},
    {0x4110, "its surroundings are too hot", "let it cool, and air get to it"},
    {0x4210, "it is too hot", "let it cool; let it give less current, or cool it"},
    {0x4310, "its motor is too hot", "let it cool; let it move more gently"},
    {0x5210, "its current measurement fails", "switch it off and on; if it says so again, it is broken"},
    {0x5530, "its memory of parameters fails", "restore its defaults, and set it up again"},
    {0x6320, "a parameter is not possible", "restore its defaults, and set it up again"},
    {0x7110, "its brake chopper fails", "look at the resistor and its wires"},
    {0x7121, "the motor is blocked", "look at what holds it; the brake too"},
    {0x7122, "the motor's commutation does not work", "look at the order of its leads and at its sensor"},
    {0x7305, "its encoder fails", "look at the encoder's plug and wires"},
    {0x7310, "its speed is not sensed", "look at the encoder's plug and wires"},
    {0x7320, "its position is not sensed", "look at the encoder's plug and wires"},
    {0x8110, "messages came faster than it took them", "send fewer of them, or at a higher bit rate"},
    {0x8120, "its end of the bus is passive: frames come out wrong",
     "look at the terminators, the bit rates and the wires of the bus"},
    {0x8130, "it has heard no heartbeat of this computer",
     "look whether the program ran on, and at the wires of the bus"},
    {0x8140, "it has recovered from bus-off",
     "look at the terminators, the bit rates and the wires of the bus"},
    {0x8150, "another one sends with its id", "give one of the two another id"},
    {0x8210, "process data of another length came", "set it up again"},
    {0x8311, "too much torque", "look at what loads it, and at its torque limit"},
    {0x8611, "it is too far behind where it is to be", "let it move more gently, or look at what loads it"},
    {0x8612, "a position beyond its limits", "look at the limits of its travel"},
    // Whole groups.
    {0x2000, "a current is wrong", "look at the motor's leads, and at what loads it"},
    {0x3000, "a voltage is wrong", "look at what feeds it"},
    {0x4000, "a temperature is too high", "let it cool"},
    {0x5000, "its hardware fails", "switch it off and on; if it says so again, it is broken"},
    {0x6000, "its software fails", "switch it off and on"},
    {0x7000, "something wired to it fails", "look at plugs and wires of its motor and sensors"},
    {0x8000, "what it watches is not as it is to be", "look at the bus, and at what loads the motor"},
    {0xf000, "something that only its manual names", "look for this code in its manual"},
}};

}  // namespace

const char* to_text(DriveState state) {
  switch (state) {
    case DriveState::not_ready:
      return "beginning";
    case DriveState::switch_on_disabled:
      return "off";
    case DriveState::ready:
      return "ready to be switched on";
    case DriveState::switched_on:
      return "switched on, and not driven";
    case DriveState::enabled:
      return "driven";
    case DriveState::quick_stop:
      return "in a quick stop";
    case DriveState::fault_reaction:
      return "coming to rest after a fault";
    case DriveState::fault:
      break;
  }
  return "in a fault";
}

const char* to_text(DriveMode mode) {
  switch (mode) {
    case DriveMode::none:
      return "no mode";
    case DriveMode::profile_position:
      return "profile position";
    case DriveMode::profile_velocity:
      return "profile velocity";
    case DriveMode::torque:
      return "torque";
    case DriveMode::cyclic_position:
      return "cyclic position";
    case DriveMode::cyclic_velocity:
      return "cyclic velocity";
    case DriveMode::cyclic_torque:
      break;
  }
  return "cyclic torque";
}

std::optional<DriveState> state_of(std::uint16_t status) {
  for (const StatePattern& each : state_patterns)
    if ((status & each.mask) == each.bits) return each.state;
  return std::nullopt;
}

std::optional<std::uint16_t> control_towards(DriveState wanted, DriveState now) {
  using State = DriveState;
  if (now == wanted || now == State::not_ready || now == State::fault_reaction || now == State::fault)
    return std::nullopt;
  if (wanted == State::switch_on_disabled) return disable_voltage;
  if (wanted == State::quick_stop)
    return now == State::enabled ? std::optional(quick_stop_word) : std::nullopt;
  switch (now) {
    case State::switch_on_disabled:
      return shutdown;
    case State::ready:
      return switch_on;
    case State::switched_on:
      return wanted == State::enabled ? enable_operation : shutdown;
    case State::enabled:
      return wanted == State::switched_on ? switch_on : shutdown;
    // Not every drive goes back from there: by way of off all do.
    default:
      return disable_voltage;
  }
}

DriveFault fault_of(std::uint16_t code) {
  for (const unsigned mask : {0xffffU, 0xfff0U, 0xf000U}) {
    const auto known = std::find_if(faults_known.begin(), faults_known.end(), [&](const DriveFault& each) {
      return each.code == static_cast<std::uint16_t>(code & mask);
    });
    if (known != faults_known.end() && code != 0) return *known;
  }
  if (code == 0) return {0, "nothing is wrong", ""};
  return {code, "something is wrong that it does not name", "look for this code in its manual"};
}

}  // namespace cogstride
