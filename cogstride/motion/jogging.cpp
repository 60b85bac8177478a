#include "cogstride/motion/jogging.hpp"

#include "cogstride/motion/mover.hpp"

namespace cogstride {

Jogging::Jogging(Mover& mover, OutputSpeed speed, bool past_limits)
    : mover_(mover),
      zeroed_(able(mover.name(), mover.zeroed(), "be jogged")),
      speed_(speed),
      past_limits_(past_limits) {}

bool Jogging::stands() const {
  return mover_.has_ended();
}

bool Jogging::would_change(int way) const {
  return way != going_ && (going_ != 0 || stands());
}

void Jogging::want(Lines& lines, int way) {
  if (!would_change(way)) return;  // at an end of its travel it stays as long as it is asked to go there
  if (!stands()) {
    mover_.stop(lines, Braking::on_a_ramp);
    going_ = 0;
    return;
  }
  if (way != 0) zeroed_.jog(lines, way, speed_, past_limits_);
  going_ = way;
}

}  // namespace cogstride
