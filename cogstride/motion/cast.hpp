// Who and what a script has to do with: the movers and outputs of a bench, in the order of its rig, and what
// its input lines say.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "cogstride/mechanism/output.hpp"
#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

class HeardControls;
class Inputs;
class Knob;
class Mover;
class OutputSwitch;

struct Following;
struct GearOrder;
struct MotionRecord;
struct MoveOrder;

struct Cast {
  std::vector<Mover*> mechanisms{};  ///< by a mechanism's place in the rig; null for one that nothing moves
  std::vector<Mover*> carts{};       ///< by a pair's place in the rig
  std::vector<Mover*> shafts{};      ///< by a shaft's place in the rig
  std::vector<Mover*> guests{};      ///< of the program's own
  std::vector<OutputSwitch*> outputs{};  ///< by an output's place in the rig
  const Inputs* inputs = nullptr;
  const HeardControls* heard = nullptr;
  /// A knob, read from then on. @throws RangeError when there is none of that name
  std::function<const Knob&(const std::string& name)> knob{};
  ExactFrequency clock{};
  /// Moves that begin and arrive together. @throws RangeError when one is refused; nothing is ordered then
  std::function<std::vector<std::shared_ptr<MotionRecord>>(const std::vector<std::pair<Mover*, MoveOrder>>&)>
      arrive_together{};
  /// A mover goes along with others. @throws RangeError when it is refused
  std::function<std::shared_ptr<MotionRecord>(Mover&, const GearOrder&)> gear{};
  /// Another ratio for one that goes along. @throws RangeError when it does not, or cannot
  std::function<void(Mover&, const Following&)> change_gear{};
  std::function<void(const std::string& who, const std::string& text)> tell{};  ///< into the record, now
  /// "41.2 mm": what a mover publishes under that name, now. @throws RangeError when it has none, with those
  /// it has
  std::function<std::string(const Mover& mover, const std::string& signal)> signal{};
  std::function<void()> all_off{};  ///< all lines at rest, at once
};

}  // namespace cogstride
