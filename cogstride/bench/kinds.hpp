// The kinds of movers that there are: the one place that knows them all.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <vector>

#include "cogstride/motion/mover.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

class Twin;
struct TwinSetup;

/// By the kinds of its motor and its board a mechanism is of one of these, or nothing moves it.
struct KindOfMover {
  bool (*has)(const Mechanism&);
  std::unique_ptr<Mover> (*mover)(const Mechanism&, MechanismId, const Controller&);
  std::unique_ptr<Twin> (*twin)(Mover&, const TwinSetup&);
  /// What keeps it from live lines; empty: nothing.
  std::vector<std::string> (*not_live)(const Mechanism&, const Controller&);
};
[[nodiscard]] std::span<const KindOfMover> kinds_of_movers();

struct TurnedAt;
/// A shaft that others only follow.
[[nodiscard]] std::unique_ptr<Mover> make_shaft(const Shaft& shaft, MechanismId id,
                                                const Controller& controller);
/// @param turned  by the machine that turns it, in the order of time
[[nodiscard]] std::unique_ptr<Twin> make_shaft_twin(Mover& mover, const TwinSetup& setup,
                                                    std::vector<TurnedAt> turned);

/// A cart of two wheels.
[[nodiscard]] std::unique_ptr<Mover> make_cart(const WheeledPair& pair, MechanismId id, Mover& left,
                                               Mover& right, const Controller& controller);
/// @param actual  as it really is @param left @param right  the twins of its wheels
[[nodiscard]] std::unique_ptr<Twin> make_cart_twin(Mover& cart, const WheeledPair& actual, Twin& left,
                                                   Twin& right);

}  // namespace cogstride
