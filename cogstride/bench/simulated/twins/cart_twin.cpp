#include "cogstride/bench/simulated/twins/twins.hpp"
#include "cogstride/motion/cart/pair_mover.hpp"

namespace cogstride {

CartTwin::CartTwin(Mover& cart, const WheeledPair& actual, ShaftPlant& left, ShaftPlant& right)
    : cart_(cart),
      pair_(actual),
      left_(left),
      right_(right),
      rolled_left_(left.position() * rolled_per_turn(actual.left_wheel)),
      rolled_right_(right.position() * rolled_per_turn(actual.right_wheel)) {}

std::vector<TracedSignal> CartTwin::signals() const {
  return {{"x", "mm"}, {"y", "mm"}, {"heading", "deg"}};
}

void CartTwin::sample(std::span<double> values) const {
  values[0] = 1e3 * pose_.x;
  values[1] = 1e3 * pose_.y;
  values[2] = pose_.heading * 180.0 / pi;
}

void CartTwin::look() {
  const double left = left_.position() * rolled_per_turn(pair_.left_wheel);
  const double right = right_.position() * rolled_per_turn(pair_.right_wheel);
  pose_ = pose_.rolled(left - rolled_left_, right - rolled_right_, pair_.track.base());
  rolled_left_ = left;
  rolled_right_ = right;
}

void CartTwin::add_to(RunTally& run, Tick, double) const {
  const auto shown = [](const CartPose& from) {
    return PairTally::Pose{1e3 * from.x, 1e3 * from.y, from.heading * 180.0 / pi};
  };
  const PairMover& mover = *as<PairMover>(cart_);
  run.pairs.push_back(
      {pair_.name, pair_.left, pair_.right, shown(mover.thinks()), shown(pose_), mover.slowest_pace()});
}

}  // namespace cogstride
