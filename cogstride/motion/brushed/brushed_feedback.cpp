#include "cogstride/motion/brushed/brushed_feedback.hpp"

#include <cmath>

namespace cogstride {

BrushedFeedback::BrushedFeedback(const Mechanism& mechanism, const Controller& controller)
    : mechanism_(mechanism),
      encoder_(sensor_of<Encoder>(mechanism)),
      shunt_(sensor_of<Shunt>(mechanism)),
      probe_(sensor_of<TemperatureProbe>(mechanism)),
      speed_(controller.timer_clock.base().to_double()) {
  if (const auto& analogue = controller.analogue) volts_per_code_ = analogue->volts_per_code();
}

void BrushedFeedback::ask(Lines& lines, Tick stride, Tick pwm_period) {
  asked_ = true;
  // In the middle of a period: there the current of a bridge that brakes between is its mean.
  const Tick at = lines.now() + lines.lead();
  const Tick period = (stride + pwm_period - 1) / pwm_period * pwm_period;
  const Tick middle = (at + pwm_period) / pwm_period * pwm_period + pwm_period / 2;
  if (encoder_ != nullptr) {
    lines.sample(counter_source(encoder_->line_a), at, stride);
    lines.sample(counter_edge_source(encoder_->line_a), at, stride);
  }
  if (shunt_ != nullptr) lines.sample(analogue_source(shunt_->channel), middle, period);
  if (probe_ != nullptr) lines.sample(analogue_source(probe_->channel), at, 100 * stride);
}

std::optional<double> BrushedFeedback::highest_rise() const {
  return probe_->on_motor ? cogstride::highest_rise(mechanism_, std::get<BrushedMotor>(mechanism_.motor).heat)
                          : cogstride::highest_rise(mechanism_, stage_of(mechanism_.board));
}

BrushedFeedback::News BrushedFeedback::read(Tick now, std::span<const Reading> readings) {
  News news;
  const std::optional<std::int64_t> before = count_;
  for (const Reading& reading : readings) {
    const double volts = volts_per_code_ * static_cast<double>(reading.raw);
    if (encoder_ != nullptr && reading.source == counter_source(encoder_->line_a)) {
      count_ = reading.raw;
      now = looked_at_ = reading.at;
      news.has_count = true;
    }
    if (encoder_ != nullptr && reading.source == counter_edge_source(encoder_->line_a))
      counted_at_ = reading.raw;
    if (shunt_ != nullptr && reading.source == analogue_source(shunt_->channel)) {
      current_ = volts / (shunt_->resistance.base() * static_cast<double>(shunt_->gain));
      news.has_current = true;
    }
    if (probe_ != nullptr && reading.source == analogue_source(probe_->channel)) {
      const double degrees = (volts - probe_->at_0_deg_c.base()) / probe_->per_kelvin.base();
      if (!cold_) cold_ = degrees;
      if (const auto highest = highest_rise(); highest && degrees - *cold_ > *highest)
        news.too_warm = degrees - *cold_;
    }
  }
  news.has_counted = count_ != before;
  if (news.has_count) speed_.look(now, *count_, counted_at_);
  return news;
}

OutputPosition BrushedFeedback::position() const {
  return {output_kind(mechanism_.train), Ratio(count_.value_or(0)) / counts_per_base()};
}

double BrushedFeedback::speed() const {
  return encoder_ == nullptr ? 0.0 : speed_.counts_per_second() / counts_per_base().to_double();
}

double BrushedFeedback::speed_error() const {
  return encoder_ == nullptr ? 0.0 : speed_.error() / std::abs(counts_per_base().to_double());
}

}  // namespace cogstride
