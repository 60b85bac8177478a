// What happens to a simulated bench from outside: a pedal is pressed, a supply comes late, a switch sticks.
//
//   SimulatedBench bench{rig, {.events = {{.at = 3_s, .what = "pedal", .on = true}}}};
//
// Names: a hand control ("pedal"; a knob is turned to a `share` of its travel), a supply ("main"), a switch
// of a mechanism ("traverse.gate": from then on it acts, or does not, wherever the output is; without `on` it
// is free again), the fault line of its board
// ("traverse.fault"), and "traverse.jam": its shaft is held fast; "snips.signal": the wire of its pulses,
// "warp_beam.bus": those of a drive to its bus. A
// shaft that another machine turns is given a speed: "wheel 60 rpm in 2 s". An encoder wheel for a hand is
// turned by clicks: "handwheel 5 clicks in 0.5 s", "handwheel -2 clicks".
//
// A device with texts of its own says one ("panel.station 5", "panel.hold on", "panel.hold on for 0.5 s":
// again and again) or any bytes (`panel says "@5"`). A key of an input device is on or off, its axis is
// turned to a share, its wheel by clicks. A key of a remote is pressed or held ("remote.up on for 1 s");
// `remote says "0xe916fb04"` is any other code, or timing in us. What a sensor on a bus tells happens:
// "watcher.along on".
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "cogstride/rig/rig.hpp"

namespace cogstride {

struct OutsideEvent {
  ExactTime at{};
  std::string what{};
  std::optional<bool> on = true;
  std::optional<double> share{};         ///< of a knob: where it is turned to, 0 to 1; a stick -1 to 1
  std::optional<OutputSpeed> speed{};    ///< at which another machine turns a shaft from then on ...
  std::optional<ExactTime> in{};         ///< ... come to evenly in that time; nothing: at once
  std::optional<std::int64_t> clicks{};  ///< by which an encoder wheel is turned, evenly; backwards: below 0;
                                         ///< `in`: how long that takes, 20 ms a click when it is not said
  std::optional<std::int64_t> number{};  ///< that a device says
  std::optional<std::string> says{};     ///< bytes of a device
  std::optional<ExactTime> lasts{};      ///< for how long a device says it, again and again
  std::optional<Torque> torque{};        ///< of a mechanism's load, against going forwards, at the motor
};

/// "halt on", "dial 40 %", "feeder.load 0.063 N m", "traverse.gate free": as an events file says it.
[[nodiscard]] std::string to_text(const OutsideEvent& event);

/// Bytes as a file has them: "@5\r\n" with its quotes and marks.
[[nodiscard]] std::string quoted(const std::string& bytes);

/// Reads an events file: one `at TIME NAME on`, `off`, `free`, `40 %` or `5 clicks` a line; `#` begins a
/// comment.
/// @throws InputError with everything that is wrong, Error when the file cannot be read
[[nodiscard]] std::vector<OutsideEvent> read_events(const std::string& path, const Rig& rig);
[[nodiscard]] std::vector<OutsideEvent> parse_events(std::string_view text, const std::string& name,
                                                     const Rig& rig);

}  // namespace cogstride
