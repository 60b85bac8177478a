#include <fmt/format.h>

#include <cmath>

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
  rolled_ += 0.5 * (std::abs(left - rolled_left_) + std::abs(right - rolled_right_));
  pose_ = pose_.rolled(left - rolled_left_, right - rolled_right_, pair_.track.base());
  rolled_left_ = left;
  rolled_right_ = right;
}

void CartTwin::judge(MoverVerdict& verdict, Tick, double) const {
  const PairMover& mover = *as<PairMover>(cart_);
  const CartPose& thinks = mover.thinks();
  const double off = 1e3 * std::hypot(thinks.x - pose_.x, thinks.y - pose_.y);
  const double turned_off = std::abs(pose_.heading - thinks.heading) * 180.0 / pi;
  verdict.sum = fmt::format("{:.1f} mm and {:.2f} deg from where it thinks it is", off, turned_off);
  verdict.rows = {{"thinks", words(thinks)}, {"stands", words(pose_)}};
  if (mover.slowest_pace() < 1.0)
    verdict.rows.push_back(
        {"pace", fmt::format("both wheels were slowed to {:.0f} % at the least, for one that was held back",
                             100.0 * mover.slowest_pace())});
  verdict.add("stands_x", 1e3 * pose_.x, "mm");
  verdict.add("stands_y", 1e3 * pose_.y, "mm");
  verdict.add("stands_heading", pose_.heading * 180.0 / pi, "deg");
  verdict.add("off", off, "mm");
  verdict.looked_at.push_back("where it stands against where its counts put it");
  const double allowed = 1.0 + 1e3 * allowed_share * rolled_;
  if (off > allowed)
    verdict.complaints.push_back(
        fmt::format("it stands {:.3g} mm and {:.2g} deg from where it thinks it is, after {:.3g} m: its "
                    "wheels or its track are "
                    "not what the rig says (pair.{}.left_wheel, right_wheel, track; scripts tell them: "
                    "'measure'), or counts "
                    "were lost",
                    off, turned_off, rolled_, verdict.name));
}

}  // namespace cogstride
