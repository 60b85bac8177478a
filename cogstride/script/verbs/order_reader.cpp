#include "cogstride/script/verbs/order_reader.hpp"

#include <fmt/format.h>

#include "cogstride/motion/pulse_width/servo_mover.hpp"
#include "cogstride/motion/speed/speed_hold.hpp"

namespace cogstride {

OutputPosition OrderReader::station_or(const std::string& wanted) {
  if (!reader_.take("station")) return position(wanted);
  const Word number = reader_.peek();
  const std::int64_t station = reader_.count("a station such as 5", 0, most_repeats);
  try {
    return station_at(mechanism_, station);
  } catch (const RangeError& error) {
    throw LineReader::wrong(number, error.what());
  }
}

std::optional<Way> OrderReader::way() {
  if (reader_.take("clockwise")) return Way::clockwise;
  if (reader_.take("anticlockwise") || reader_.take("counter-clockwise")) return Way::counter_clockwise;
  if (!reader_.take("the")) return std::nullopt;
  reader_.expect("short");
  reader_.expect("way");
  return Way::shortest;
}

OutputSpeed OrderReader::speed(const std::string& wanted, bool is_limit) {
  return reader_.amount(wanted, [&](const std::string& text) {
    const OutputSpeed value = parse_output<1>(mechanism_, text);
    require_kind(mechanism_, value.kind);
    const OutputSpeed magnitude{value.kind, value.base < Ratio(0) ? -value.base : value.base};
    if (is_limit) (void)ramp_limits(mechanism_, reader_.rig().controller, magnitude);
    return value;
  });
}

OutputSpeed OrderReader::held_speed(const std::string& wanted) {
  return reader_.amount(wanted, [&](const std::string& text) {
    const OutputSpeed value = parse_output<1>(mechanism_, text);
    require_kind(mechanism_, value.kind);
    held_speeds(mechanism_).require(value.base.to_double());
    return value;
  });
}

bool OrderReader::is_forwards(Way way, const char* amount) const {
  if (way == Way::shortest)
    throw reader_.wrong_statement(
        fmt::format("a {} with a sign says which way; with a word it has none", amount));
  return (way == Way::clockwise) == (mechanism_.limits.forwards == TurningSense::clockwise);
}

OutputSpeed OrderReader::turned(OutputSpeed speed) {
  const std::optional<Way> word = way();
  if (!word) return speed;
  const bool forwards = is_forwards(speed.base < Ratio(0) ? Way::shortest : *word, "speed");
  return forwards ? speed : OutputSpeed{speed.kind, -speed.base};
}

namespace {

bool is_an_acceleration(const std::string& text) {
  if (is_in_steps(text)) return text.find("/s2") != std::string::npos;
  const DimensionPowers powers = parse_any_quantity(text).powers;
  return powers == powers_of<OutputAcceleration::LinearDimension> ||
         powers == powers_of<OutputAcceleration::RotaryDimension>;
}

}  // namespace

template <class Check>
void OrderReader::limit(const char* wanted, MoveOrder& order, Check check) {
  // A speed or an acceleration, told apart by its unit, and checked against the mechanism.
  reader_.amount(wanted, [&](const std::string& text) {
    const bool is_acceleration = is_an_acceleration(text);
    if (is_acceleration ? order.acceleration.has_value() : order.speed.has_value())
      throw RangeError(is_acceleration ? "the acceleration is given twice" : "the speed is given twice");
    if (is_acceleration) {
      order.acceleration = parse_output<2>(mechanism_, text);
    } else {
      order.speed = parse_output<1>(mechanism_, text);
    }
    check();
    return 0;
  });
}

void OrderReader::limits(MoveOrder& order) {
  if (reader_.take("at")) {
    const auto one = [&] {
      limit("a speed such as 40 mm/s or an acceleration such as 800 mm/s2", order, [&] {
        (void)ramp_limits(mechanism_, reader_.rig().controller, order.speed, order.acceleration);
      });
    };
    one();
    if (reader_.take("and")) one();
  }
  const std::span<const Stretch> stretches = reader_.stretches();
  for (auto stretch = stretches.rbegin(); stretch != stretches.rend(); ++stretch) {
    if (stretch->mechanism != place_) continue;
    if (!order.speed) order.speed = stretch->speed;
    if (!order.acceleration) order.acceleration = stretch->acceleration;
  }
}

void OrderReader::swing_limits(MoveOrder& order) {
  if (!reader_.take("at")) return;
  const auto one = [&] {
    limit("a speed such as 200 deg/s or an acceleration such as 2000 deg/s2", order,
          [&] { (void)cogstride::swing_limits(mechanism_, order.speed, order.acceleration); });
  };
  one();
  if (reader_.take("and")) one();
}

void OrderReader::takes(MoveOrder& order) {
  if (!reader_.take("in")) return;
  order.in = reader_.amount("a time such as 3 s", [&](const std::string& text) {
    const auto time = parse_quantity<ExactTime>(text);
    if (!(time > ExactTime())) throw RangeError(fmt::format("'{}': a move takes a time above 0", text));
    return time;
  });
}

double OrderReader::share(LineReader& reader, const std::string& wanted, int least) {
  return reader.amount(wanted, [&](const std::string& text) {
    const auto share = parse_quantity<ExactFraction>(text);
    if (share.base() < Ratio(least) || Ratio(1) < share.base())
      throw RangeError(fmt::format("'{}' is no share of full duty; {} % to 100 % are", text, 100 * least));
    return share.base().to_double();
  });
}

std::optional<ExactTime> OrderReader::ramp() {
  if (!reader_.take("in")) return std::nullopt;
  return reader_.time("a time such as 2 s");
}

std::optional<ExactTime> OrderReader::lasts() {
  if (reader_.take("for")) return reader_.time("a time such as 10 s");
  reader_.expect("until");
  reader_.expect("stopped");
  return std::nullopt;
}

}  // namespace cogstride
