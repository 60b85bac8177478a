#include "cogstride/motion/stepper/encoder_watch.hpp"

#include <fmt/format.h>

#include <cmath>

#include "cogstride/mechanism/ticks.hpp"

namespace cogstride {
namespace {

double place_error(const Encoder& encoder) {
  const double counts = 4.0 * static_cast<double>(encoder.lines_per_turn);
  return counts * (encoder.eccentricity.in(units::turn) + 3.0 * encoder.line_error.in(units::turn));
}

}  // namespace

EncoderWatch::EncoderWatch(StepperMover& mover, const Encoder& encoder, ExactFrequency clock, Tick period)
    : mover_(mover),
      encoder_(encoder),
      counts_per_base_(counts_per_base(mover.mechanism(), encoder)),
      period_(period),
      speed_(clock.base().to_double(), 2.0 * place_error(encoder)) {
  // A rotor that has not lost its field is less than two full steps from it.
  const double full_steps = static_cast<double>(steps_lost_at_once(mover.mechanism())) / 4.0 /
                            std::abs(steps_per_base(mover.mechanism()).to_double());
  allowed_ = 2.5 * full_steps + (2.0 + 2.0 * place_error(encoder)) / std::abs(counts_per_base_.to_double());
}

void EncoderWatch::mover_is_zeroed() {
  reference_count_ = count_;
  reference_ = mover_.position(0).value_or(OutputPosition{});
  told_ = false;
}

std::optional<OutputPosition> EncoderWatch::position() const {
  if (!reference_count_) return std::nullopt;
  return OutputPosition{reference_.kind,
                        reference_.base + Ratio(count_ - *reference_count_) / counts_per_base_};
}

void EncoderWatch::act(Lines& lines, std::span<const Reading> readings) {
  if (!asked_) {
    asked_ = true;
    const Tick first = lines.now() + lines.lead();
    lines.sample(counter_source(encoder_.line_a), first, period_);
    lines.sample(counter_edge_source(encoder_.line_a), first, period_);
  }
  std::optional<std::int64_t> count;
  Tick counted_at = 0;
  Tick looked_at = lines.now();
  for (const Reading& reading : readings) {
    if (reading.source == counter_source(encoder_.line_a)) {
      count = reading.raw;
      looked_at = reading.at;
    }
    if (reading.source == counter_edge_source(encoder_.line_a)) counted_at = reading.raw;
  }
  if (!count) return;
  count_ = *count;
  speed_.look(looked_at, count_, counted_at);
  // What went on then is known as long as the same motion does.
  if (looked_at == lines.now() || looked_at >= mover_.stream().same_since()) compare(looked_at);
}

void EncoderWatch::compare(Tick at) {
  const std::optional<OutputPosition> stepped = mover_.position(at);
  if (!stepped || mover_.is_homing()) {
    reference_count_.reset();
    compare_ways(at);
    return;
  }
  both_from_.reset();
  if (!reference_count_ && !mover_.mechanism().homing) mover_is_zeroed();
  const std::optional<OutputPosition> counted = position();
  if (!counted || told_) return;
  const double off = (counted->base - stepped->base).to_double();
  if (std::abs(off) <= allowed_) return;
  const double scale = display_units_per_base(stepped->kind);
  tell(fmt::format("{}: steps were lost: {} counts it at {:.6g} {}, and its steps lead to {:.6g} {}",
                   mover_.mechanism().name, encoder_.name, scale * counted->base.to_double(),
                   display_unit(stepped->kind, 0), scale * stepped->base.to_double(),
                   display_unit(stepped->kind, 0)));
}

/// Where it stands is not known; how far it goes is.
void EncoderWatch::compare_ways(Tick at) {
  const auto& homing = mover_.mechanism().homing;
  const bool is_in_the_loop = mover_.is_homing() && homing && homing->sensor == encoder_.name;
  if (is_in_the_loop || !mover_.stream().is_on()) {  // a hand may turn it
    both_from_.reset();
    told_ = false;
    return;
  }
  const std::int64_t step = mover_.standing_step(at);
  if (!both_from_) {
    both_from_ = {count_, step};
    told_ = false;
  }
  if (told_) return;
  const double counted = static_cast<double>(count_ - both_from_->first) / counts_per_base_.to_double();
  const double stepped =
      static_cast<double>(step - both_from_->second) / steps_per_base(mover_.mechanism()).to_double();
  // Switched on, its rotor goes to its field first.
  if (std::abs(counted - stepped) <= 2.0 * allowed_) return;
  const OutputKind kind = output_kind(mover_.mechanism().train);
  const double scale = display_units_per_base(kind);
  tell(fmt::format(
      "{}: {} has counted {:.6g} {} where its steps went {:.6g} {}: steps were lost, or a wire of "
      "the encoder is broken",
      mover_.mechanism().name, encoder_.name, scale * counted, display_unit(kind, 0), scale * stepped,
      display_unit(kind, 0)));
}

void EncoderWatch::tell(const std::string& why) {
  told_ = true;
  tell_loss(why);
}

}  // namespace cogstride
