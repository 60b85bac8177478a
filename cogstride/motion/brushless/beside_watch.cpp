#include "cogstride/motion/brushless/beside_watch.hpp"

#include <fmt/format.h>

#include <cmath>

#include "cogstride/mechanism/ticks.hpp"

namespace cogstride {
namespace {
constexpr ExactTime between_looks_beside = ExactTime::from_base({1, 1000});
constexpr double rows_per_period = 6.0;
}  // namespace

BesideWatch::BesideWatch(const SixStepMover& mover, const Encoder& encoder, ExactFrequency clock)
    : mover_(mover),
      encoder_(encoder),
      counts_per_base_(counts_per_base(mover.mechanism(), encoder).to_double()),
      period_(ticks_at_least(between_looks_beside, clock)) {
  // Half a turn of the motor, as its sensors count it, and two counts.
  const double pole_pairs = static_cast<double>(std::get<BrushlessMotor>(mover.mechanism().motor).pole_pairs);
  allowed_ = 0.5 * rows_per_period * pole_pairs / std::abs(mover.commutation_rows_per_base()) +
             2.0 / std::abs(counts_per_base_);
}

void BesideWatch::act(Lines& lines, std::span<const Reading> readings) {
  if (!asked_) {
    asked_ = true;
    from_.reset();
    lines.sample(counter_source(encoder_.line_a), lines.now() + lines.lead(), period_);
    lines.sample(counter_edge_source(encoder_.line_a), lines.now() + lines.lead(), period_);
  }
  std::optional<std::int64_t> count;
  for (const Reading& reading : readings)
    if (reading.source == counter_source(encoder_.line_a)) count = reading.raw;
  if (!count) return;
  if (!from_) from_ = {*count, mover_.count()};
  const double counted = static_cast<double>(*count - from_->first) / counts_per_base_;
  const double turned =
      static_cast<double>(mover_.count() - from_->second) / mover_.commutation_rows_per_base();
  if (std::abs(counted - turned) <= allowed_) return;
  from_ = {*count, mover_.count()};
  const OutputKind kind = output_kind(mover_.mechanism().train);
  const double scale = display_units_per_base(kind);
  tell_loss(
      fmt::format("{}: {} has counted {:.6g} {} where its Hall sensors counted {:.6g} {}: a wire of one of "
                  "them is broken",
                  mover_.mechanism().name, encoder_.name, scale * counted, display_unit(kind, 0),
                  scale * turned, display_unit(kind, 0)));
}

}  // namespace cogstride
