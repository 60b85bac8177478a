// What happens to a simulated bench from outside: a pedal is pressed, a supply comes late, a switch sticks.
//
//   SimulatedBench bench{rig, {.events = {{.at = 3_s, .what = "pedal", .on = true}}}};
//
// Names: a hand control ("pedal"; a knob is turned to a `share` of its travel), a supply ("main"), a switch
// of a mechanism ("traverse.gate": from then on it acts, or does not, wherever the output is; without `on` it
// is free again), the fault line of its board
// ("traverse.fault"), and "traverse.jam": its shaft is held fast; "snips.signal": the wire of its pulses.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "cogstride/motion/participant.hpp"
#include "cogstride/plant/shaft_plant.hpp"
#include "cogstride/plant/surroundings.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

struct OutsideEvent {
  ExactTime at{};
  std::string what{};
  std::optional<bool> on = true;
  std::optional<double> share{};   ///< of a knob: where it is turned to, 0 to 1; a stick -1 to 1
  std::optional<Torque> torque{};  ///< of a mechanism's load, against going forwards, at the motor
};

/// "halt on", "dial 40 %", "feeder.load 0.063 N m", "traverse.gate free": as an events file says it.
[[nodiscard]] std::string to_text(const OutsideEvent& event);

/// Events as the plants of a bench meet them.
struct WorldEvents {
  std::vector<Level> levels;      ///< of all lines that hands, supplies and boards drive, at power-up
  std::vector<LineEdge> changes;  ///< of those lines
  std::map<std::string, std::vector<ShaftPlant::PlantEvent>> by_mechanism;

  std::vector<AnalogueChange> voltages;  ///< of knobs, in the order of time for each
  std::vector<SupplyLine> supplies;      ///< lines that say whether a supply is up

  [[nodiscard]] std::vector<ShaftPlant::PlantEvent> of_mechanism(const std::string& name) const {
    const auto found = by_mechanism.find(name);
    return found == by_mechanism.end() ? std::vector<ShaftPlant::PlantEvent>{} : found->second;
  }
};

/// The switches that open a supply, with the level of an open one.
[[nodiscard]] std::vector<Level> switches_that_cut(const Rig& rig, const std::string& supply);

/// Tells of events when their time has come.
class EventTeller final : public Participant {
 public:
  EventTeller(const std::vector<OutsideEvent>& events, ExactFrequency clock,
              std::function<void(Tick, const OutsideEvent&)> listener);
  /// Those whose time has not come, in its order.
  [[nodiscard]] std::vector<OutsideEvent> not_come() const;
  [[nodiscard]] Tick next_act() const override { return next_ < all_.size() ? all_[next_].at : never; }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  struct Timed {
    Tick at = 0;
    OutsideEvent event{};
  };
  std::vector<Timed> all_;  // by time
  std::size_t next_ = 0;
  std::function<void(Tick, const OutsideEvent&)> listener_;
};

/// @param rig  whose lines the controller has opened
/// @param actual  how the world is
/// @throws RangeError when a name means nothing, with those that do
[[nodiscard]] WorldEvents world_events(const Rig& rig, const Rig& actual,
                                       const std::vector<OutsideEvent>& events);

/// Reads an events file: one `at TIME NAME on`, `off`, `free` or `40 %` a line; `#` begins a comment.
/// @throws InputError with everything that is wrong, Error when the file cannot be read
[[nodiscard]] std::vector<OutsideEvent> read_events(const std::string& path, const Rig& rig);
[[nodiscard]] std::vector<OutsideEvent> parse_events(std::string_view text, const std::string& name,
                                                     const Rig& rig);

}  // namespace cogstride
