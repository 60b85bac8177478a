// What happens from outside, as the plants of a simulated bench meet it, and who tells of it.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/bench/simulated/outside_event.hpp"
#include "cogstride/motion/participant.hpp"
#include "cogstride/plant/shaft_plant.hpp"
#include "cogstride/plant/surroundings.hpp"
#include "cogstride/plant/turned_plant.hpp"

namespace cogstride {

/// Events as the plants of a bench meet them.
struct WorldEvents {
  std::vector<Level> levels;      ///< of all lines that hands, supplies and boards drive, at power-up
  std::vector<LineEdge> changes;  ///< of those lines
  std::map<std::string, std::vector<ShaftPlant::PlantEvent>> by_mechanism;

  std::map<std::string, std::vector<TurnedAt>> by_shaft;  ///< that another machine turns

  std::vector<AnalogueChange> voltages;  ///< of knobs, in the order of time for each
  std::vector<SupplyLine> supplies;      ///< lines that say whether a supply is up

  [[nodiscard]] std::vector<ShaftPlant::PlantEvent> of_mechanism(const std::string& name) const {
    const auto found = by_mechanism.find(name);
    return found == by_mechanism.end() ? std::vector<ShaftPlant::PlantEvent>{} : found->second;
  }
};

/// The switches that open a supply, with the level of an open one.
[[nodiscard]] std::vector<Level> switches_that_cut(const Rig& rig, const Supply& supply);

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

}  // namespace cogstride
