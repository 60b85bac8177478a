// What can be told ahead while a script is walked through: where mechanisms stand, what goes on, how long all
// of it takes.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "cogstride/motion/orders.hpp"
#include "cogstride/script/script.hpp"

namespace cogstride {

/// What is known ahead of where a mechanism stands.
struct Standing {
  bool is_homed = false;
  std::optional<OutputPosition> at{};  ///< nothing: somewhere inside its travel
  const Statement* spins = nullptr;    ///< the statement that lets it spin without end
  const Statement* follows = nullptr;  ///< the statement that geared it to another
  double duty = 0.0;                   ///< of one that is driven by duty, when the statement before is done
  bool is_held = false;                ///< at a speed, by its encoder
  bool is_armed = false;               ///< of one that has a throttle
};

struct Foreseen {
  std::vector<Standing> standing{};  ///< by a mechanism's place in the rig
  ScriptLength length{};
  const Statement* endless = nullptr;  ///< a repeat that never ends
  bool is_by_hand = false;             ///< what is on may be given another order
  std::vector<Foreseen> left{};        ///< wherever the repeat that is walked through is left
  bool has_left = false;               ///< it is left here: what follows inside is not reached
};

/// What is known where one of two may have come about.
[[nodiscard]] Foreseen either(const Foreseen& one, const Foreseen& other);

/// A script that is walked through ahead of it, one statement after the other.
class Walk {
 public:
  Walk(const Rig& on, Foreseen& so_far) : rig(on), known(so_far) {}
  virtual ~Walk() = default;
  Walk(const Walk&) = delete;
  Walk& operator=(const Walk&) = delete;
  /// What is wrong with one of them is noted, and does not end it.
  virtual void go_through(std::span<const Statement> statements) = 0;

  const Rig& rig;
  Foreseen& known;

  [[nodiscard]] Standing& standing(std::size_t mechanism) const { return known.standing[mechanism]; }
};

/// @throws RangeError, with what to write before, when a mechanism still spins
void require_rest(const Walk& walk, std::size_t mechanism);
/// The same when nobody knows where it stands, too.
void require_homed(const Walk& walk, std::size_t mechanism);

/// From where it stands to a place, and how long that takes. @throws RangeError when it cannot be
void foresee_move(const Walk& walk, std::size_t mechanism, const MoveOrder& order);
/// To a duty or a throttle, which it has from then on. @return seconds. @throws RangeError when it cannot be
double foresee_duty(const Walk& walk, std::size_t mechanism, double duty, const std::optional<ExactTime>& in);

}  // namespace cogstride
