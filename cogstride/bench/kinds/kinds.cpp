#include "cogstride/bench/kinds.hpp"

#include <fmt/core.h>

#include <array>

#include "cogstride/bench/live/live_obstacles.hpp"
#include "cogstride/bench/simulated/twins/twins.hpp"
#include "cogstride/motion/brushed/duty_mover.hpp"
#include "cogstride/motion/brushless/six_step_mover.hpp"
#include "cogstride/motion/bus/bus_drive_mover.hpp"
#include "cogstride/motion/cart/pair_mover.hpp"
#include "cogstride/motion/gearing/shaft_mover.hpp"
#include "cogstride/motion/pulse_width/servo_mover.hpp"
#include "cogstride/motion/pulse_width/throttle_mover.hpp"
#include "cogstride/motion/stepper/stepper_mover.hpp"
#include "cogstride/plant/turned_plant.hpp"

namespace cogstride {
namespace {

template <class M>
std::unique_ptr<Mover> made(const Mechanism& mechanism, MechanismId id, const Controller& controller) {
  return std::make_unique<M>(mechanism, id, controller);
}

std::vector<std::string> goes_live(const Mechanism&, const Controller&) {
  return {};
}

constexpr std::array kinds{
    KindOfMover{[](const Mechanism& m) { return m.is_movable(); }, made<StepperMover>, stepper_twin,
                goes_live},
    KindOfMover{[](const Mechanism& m) { return m.is_driven_by_duty(); }, made<DutyMover>, brushed_twin,
                why_duties_are_not_live},
    KindOfMover{[](const Mechanism& m) { return m.swings(); }, made<ServoMover>, servo_twin,
                why_duties_are_not_live},
    KindOfMover{[](const Mechanism& m) { return m.is_throttled(); }, made<ThrottleMover>, throttle_twin,
                why_duties_are_not_live},
    KindOfMover{[](const Mechanism& m) { return m.has_bus_drive(); }, made<BusDriveMover>, bus_drive_twin,
                why_bus_drives_are_not_live},
    KindOfMover{[](const Mechanism& m) { return m.has_six_gates(); }, made<SixStepMover>, brushless_twin,
                why_gates_are_not_live},
};

}  // namespace

std::span<const KindOfMover> kinds_of_movers() {
  return kinds;
}

std::unique_ptr<Mover> make_shaft(const Shaft& shaft, MechanismId id, const Controller& controller) {
  return std::make_unique<ShaftMover>(shaft, id, controller);
}

std::unique_ptr<Twin> make_shaft_twin(Mover& mover, const TwinSetup& setup, std::vector<TurnedAt> turned) {
  return shaft_twin(mover, setup, std::move(turned));
}

namespace {
DutyMover& wheel(Mover& mover) {
  if (DutyMover* const own = as<DutyMover>(mover)) return *own;
  throw RangeError(fmt::format("{}: is a wheel, and {}", mover.name(), DutyMover::its_kind.is_other));
}
}  // namespace

std::unique_ptr<Mover> make_cart(const WheeledPair& pair, MechanismId id, Mover& left, Mover& right,
                                 const Controller& controller) {
  return std::make_unique<PairMover>(pair, id, wheel(left), wheel(right), controller);
}

std::unique_ptr<Twin> make_cart_twin(Mover& cart, const WheeledPair& actual, Twin& left, Twin& right) {
  return std::make_unique<CartTwin>(cart, actual, *left.shaft(), *right.shaft());
}

}  // namespace cogstride
