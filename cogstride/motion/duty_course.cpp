#include "cogstride/motion/duty_course.hpp"

#include <fmt/format.h>

#include <cmath>

namespace cogstride {

std::string duty_text(double duty) {
  return fmt::format("{:.4g} %{}", 100.0 * std::abs(duty), duty < 0.0 ? " backwards" : "");
}

double DutyCourse::at(Tick now) const {
  if (!plan_) return held_;
  if (now >= piece_ends()) return plan_->end();
  return plan_->duty_at(static_cast<double>(now - began_) / ticks_per_second_);
}

Tick DutyCourse::piece_ends() const {
  return plan_ ? began_ + std::llround(std::ceil(plan_->duration() * ticks_per_second_)) : never;
}

void DutyCourse::go(Tick now, double from, double to, std::optional<double> ramp,
                    std::optional<double> holds_for, double waits) {
  plan_ = plan_duty(from, to, limits_, ramp, waits);
  began_ = now;
  holds_for_ = holds_for;
  ramp_ = ramp;
}

bool DutyCourse::end_piece(Tick now) {
  if (!holds_for_) {
    stay(plan_->end());
    return true;
  }
  const double at = plan_->end();
  DutyPlan rest;
  rest.add({at, at, *holds_for_});
  const DutyPlan down = plan_duty(at, 0.0, limits_, ramp_);
  for (std::size_t i = 0; i < down.size(); ++i) rest.add(down[i]);
  plan_ = rest;
  began_ = now;
  holds_for_.reset();
  return false;
}

}  // namespace cogstride
