#include "cogstride/motion/knob.hpp"

#include <fmt/format.h>

#include "cogstride/mechanism/ticks.hpp"

namespace cogstride {
namespace {

constexpr ExactTime between_codes = ExactTime::from_base({1, 400});

const AnalogueInputs& inputs_of(const HandControl& hand, const Controller& controller) {
  if (!hand.channel) throw RangeError(fmt::format("{}: is no knob", hand.name));
  if (!controller.analogue)
    throw RangeError(fmt::format(
        "{}: wants an analogue input, and the controller has none (controller.analogue)", hand.name));
  return *controller.analogue;
}

}  // namespace

Knob::Knob(const HandControl& hand, const Controller& controller)
    : hand_(hand),
      scale_(hand, inputs_of(hand, controller)),
      source_(analogue_source(*hand.channel)),
      volts_per_code_(controller.analogue->volts_per_code()),
      between_(ticks_at_least(between_codes, controller.timer_clock)) {}

void Knob::act(Lines& lines, std::span<const Reading> readings) {
  if (!asked_) {
    asked_ = true;
    lines.sample(source_, lines.now() + lines.lead(), between_);
  }
  for (const Reading& reading : readings) {
    if (reading.source != source_) continue;
    sum_ += volts_per_code_ * static_cast<double>(reading.raw);
    if (++codes_ < KnobScale::codes_per_mean) continue;
    share_ = scale_.share(sum_ / codes_, means_ > 0 ? share_ : 2.0);
    sum_ = 0.0;
    codes_ = 0;
    ++means_;
  }
}

}  // namespace cogstride
