// A rig: everything that is wired together, as one value.
#pragma once

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "cogstride/mechanism/devices.hpp"
#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/mechanism/shaft.hpp"
#include "cogstride/mechanism/stops.hpp"
#include "cogstride/mechanism/wheeled_pair.hpp"
#include "cogstride/rig/diagnostic.hpp"

namespace cogstride {

struct Rig {
  std::string name{};
  Controller controller{};
  std::vector<Supply> supplies{};
  std::vector<BetweenPart> parts{};
  std::vector<Mechanism> mechanisms{};
  std::vector<WheeledPair> pairs{};
  std::vector<Shaft> shafts{};
  std::vector<HandControl> hands{};
  std::vector<Device> devices{};
  std::vector<InputDevice> input_devices{};
  std::vector<Remote> remotes{};
  std::vector<BusSensor> bus_sensors{};
  std::vector<PlainOutput> outputs{};
  Stops stops{};
  Operating operating{};
  std::vector<Binding> bindings{};
  std::vector<PageControl> page{};  ///< none: the page shows all that there is
  std::map<std::string, SourcePlace>
      places{};  ///< of every key that was read: "mechanism.traverse.board.current"
  /// Of a rig that is a part of another one whose lines are a chip's behind a link: that one, which the
  /// chip's program was made from.
  std::shared_ptr<const Rig> whole{};
};

/// The mechanism of that name. @throws RangeError that lists those there are.
[[nodiscard]] const Mechanism& mechanism_named(const Rig& rig, const std::string& name);

/// The shaft of that name; null when there is none.
[[nodiscard]] const Shaft* find_shaft(const Rig& rig, const std::string& name);
/// What is known of a leader: a mechanism, or a shaft (parts_of). @throws RangeError that lists those there
/// are
[[nodiscard]] Mechanism leader_named(const Rig& rig, const std::string& name);

/// The pair of that name. @throws RangeError that lists those there are.
[[nodiscard]] const WheeledPair& pair_named(const Rig& rig, const std::string& name);

/// A rig with some of its mechanisms alone, and pairs of them; who followed another goes by itself. Shafts
/// stay that one of them follows, or that are named.
/// @throws RangeError when it has none of a name
[[nodiscard]] Rig only_with(Rig rig, const std::vector<std::string>& mechanisms);
/// A rig with a mechanism, as it is in it or changed, and no other.
[[nodiscard]] Rig alone_on(Rig rig, const Mechanism& mechanism);

/// The supply, part or timer of that name; null when there is none.
[[nodiscard]] const Supply* find_supply(const Rig& rig, const std::string& name);
/// Whether a supply is another one, or a regulator behind it, however many stand between.
[[nodiscard]] bool is_fed_from(const Rig& rig, const Supply& supply, const std::string& from);
[[nodiscard]] const BetweenPart* find_part(const Rig& rig, const std::string& name);
[[nodiscard]] const TimerUnit* find_timer(const Rig& rig, const std::string& name);

/// Whether nothing of a mechanism's board hangs on the controller's ground: it isolates its inputs, or a part
/// between does.
[[nodiscard]] bool is_isolated(const Rig& rig, const Mechanism& mechanism);

/// All that the devices of a rig tell of by themselves.
[[nodiscard]] std::vector<SaidControl> said_controls(const Rig& rig);

/// One wire at a line of the controller.
struct RigLine {
  std::int64_t number = 0;
  std::string owner{};                   ///< "traverse", "pedal", "main"
  std::string use{};                     ///< "step", "gate", "pressed"
  std::string key{};                     ///< of the rig file: "mechanism.traverse.lines.step"
  bool is_output = true;                 ///< seen from the controller
  DrivenLine driven{};                   ///< of an output
  bool timed = false;                    ///< needs a channel of a timer
  const Mechanism* mechanism = nullptr;  ///< whose board it goes to; null for others
  std::optional<Voltage> high_level{};   ///< that an input is given, where it is said
};

/// Every wire of the rig, mechanism by mechanism; the rig must outlive it.
[[nodiscard]] std::vector<RigLine> rig_lines(const Rig& rig);

}  // namespace cogstride
