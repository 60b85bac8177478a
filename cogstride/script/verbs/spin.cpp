// spin creel at 40 deg/s clockwise for 3 turns; spin feeder at 40 % in 2 s until stopped; spin feeder at 300
// rpm for 5 s
#include <fmt/format.h>

#include <cmath>

#include "cogstride/motion/brushless/six_step_limits.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/motion/speed/speed_hold.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/order_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

/// On ramps of steps.
class SpinBySteps final : public Verb {
 public:
  SpinBySteps(std::size_t mechanism, SpeedOrder order) : mechanism_(mechanism), order_(std::move(order)) {}
  void foresee(const Statement& statement, Walk& walk) const override {
    const Mechanism& mechanism = walk.rig.mechanisms[mechanism_];
    if (const std::optional<MoveOrder> way = move_of(mechanism, walk.rig.controller, order_)) {
      foresee_move(walk, mechanism_, *way);
      return;
    }
    require_homed(walk, mechanism_);
    walk.standing(mechanism_).spins = &statement;
    walk.standing(mechanism_).at.reset();
  }
  [[nodiscard]] bool has_known_length() const override { return order_.lasts || order_.by; }
  [[nodiscard]] bool can_be_played_back() const override { return has_known_length(); }
  [[nodiscard]] bool goes_on_until_stopped() const override { return !has_known_length(); }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_, .moves = true}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    Redirects* const on = stage.replaces && !has_known_length() ? mover.redirects() : nullptr;
    if (on != nullptr && on->can_be_redirected()) {
      (void)on->redirect(stage.lines, order_);
      return nullptr;
    }
    auto motion = able(mover.name(), mover.speeds(), "hold a speed").spin(stage.lines, order_);
    return has_known_length() ? wait_for(std::move(motion)) : nullptr;
  }

 private:
  std::size_t mechanism_;
  SpeedOrder order_;
};

/// A loop holds the speed: by an encoder, or by the rows of a bare brushless motor.
class SpinHeld final : public Verb {
 public:
  SpinHeld(std::size_t mechanism, SpeedOrder order, bool by_encoder)
      : mechanism_(mechanism), order_(std::move(order)), by_encoder_(by_encoder) {}
  void foresee(const Statement& statement, Walk& walk) const override {
    Standing& standing = walk.standing(mechanism_);
    standing.spins = order_.lasts ? nullptr : &statement;
    standing.is_held = true;
    standing.at.reset();
    standing.duty = 0.0;
    if (order_.lasts) walk.known.length.seconds += order_.lasts->base().to_double();
  }
  [[nodiscard]] bool has_known_length() const override { return order_.lasts.has_value(); }
  [[nodiscard]] bool goes_on_until_stopped() const override { return !has_known_length(); }
  [[nodiscard]] About about() const override {
    return {.mechanism = mechanism_, .moves = true, .by_encoder = by_encoder_};
  }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    auto motion = able(mover.name(), mover.speeds(), "hold a speed").spin(stage.lines, order_);
    return order_.lasts ? wait_for(std::move(motion)) : nullptr;
  }

 private:
  std::size_t mechanism_;
  SpeedOrder order_;
  bool by_encoder_;
};

class SpinByDuty final : public Verb {
 public:
  SpinByDuty(std::size_t mechanism, DutyOrder order) : mechanism_(mechanism), order_(std::move(order)) {}
  void foresee(const Statement& statement, Walk& walk) const override {
    Standing& standing = walk.standing(mechanism_);
    const double up = foresee_duty(walk, mechanism_, order_.duty.base(), order_.in);
    standing.is_held = false;
    standing.at.reset();
    standing.spins = &statement;
    if (!order_.lasts) return;
    walk.known.length.seconds +=
        up + order_.lasts->base().to_double() + foresee_duty(walk, mechanism_, 0.0, order_.in);
    standing.spins = nullptr;
  }
  [[nodiscard]] bool has_known_length() const override { return order_.lasts.has_value(); }
  [[nodiscard]] bool goes_on_until_stopped() const override { return !has_known_length(); }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_, .moves = true}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    auto motion = able(mover.name(), mover.duties(), "be driven by duty").spin(stage.lines, order_);
    return order_.lasts ? wait_for(std::move(motion)) : nullptr;
  }

 private:
  std::size_t mechanism_;
  DutyOrder order_;
};

/// For a time, for a way, or until it is stopped.
std::unique_ptr<Verb> read_until(LineReader& reader, std::size_t place, SpeedOrder spin) {
  const Rig& rig = reader.rig();
  const Mechanism& mechanism = rig.mechanisms[place];
  if (reader.take("for")) {
    reader.amount("a time such as 10 s or a way such as 3 turns", [&](const std::string& text) {
      if (!is_in_steps(text) && parse_any_quantity(text).powers == powers_of<dimensions::Time>) {
        spin.lasts = parse_quantity<ExactTime>(text);
      } else {
        spin.by = parse_output<0>(mechanism, text);
      }
      (void)move_of(mechanism, rig.controller, spin);
      return 0;
    });
  } else {
    reader.expect("until");
    reader.expect("stopped");
  }
  return std::make_unique<SpinBySteps>(place, std::move(spin));
}

std::unique_ptr<Verb> read_by_steps(LineReader& reader, std::size_t place) {
  const Rig& rig = reader.rig();
  const Mechanism& mechanism = rig.mechanisms[place];
  OrderReader order(reader, place);
  SpeedOrder spin{.at = order.turned(order.speed("a speed such as 40 deg/s", true))};
  if (reader.take("and"))
    spin.acceleration = order.acceleration(
        "an acceleration such as 40 deg/s2",
        [&](const OutputAcceleration& value) { (void)ramp_limits(mechanism, rig.controller, {}, value); });
  return read_until(reader, place, std::move(spin));
}

/// What follows a held speed: its way, its acceleration, and how long it lasts.
template <class Require>
SpeedOrder read_held(LineReader& reader, OrderReader& order, OutputSpeed at, const Require& require) {
  SpeedOrder spin{.at = order.turned(at)};
  if (reader.take("and"))
    spin.acceleration = order.acceleration("an acceleration such as 2000 deg/s2", require);
  spin.lasts = order.lasts();
  return spin;
}

/// Of a bare brushless motor: what it can is asked of a mover of its own.
std::unique_ptr<Verb> read_six_step(LineReader& reader, std::size_t place) {
  const Rig& rig = reader.rig();
  const Mechanism& mechanism = rig.mechanisms[place];
  const auto limits = [&] { return six_step_limits(mechanism, rig.controller); };
  const OutputSpeed at = reader.amount("a speed such as 900 rpm", [&](const std::string& text) {
    const OutputSpeed value = parse_output<1>(mechanism, text);
    require_kind(mechanism, value.kind);
    limits().require(value);
    return value;
  });
  OrderReader order(reader, place);
  SpeedOrder spin =
      read_held(reader, order, at, [&](const OutputAcceleration& value) { limits().require(value); });
  return std::make_unique<SpinHeld>(place, std::move(spin), false);
}

/// "from 400 ms to 8 ms per row in 6 s": a table of rows by time, as one who steps a motor by hand has it. A
/// row is a sixth of an electrical turn.
std::unique_ptr<Verb> read_rows(LineReader& reader, std::size_t place) {
  const Rig& rig = reader.rig();
  const Mechanism& mechanism = rig.mechanisms[place];
  const Ratio rows = rows_exactly(mechanism);
  const auto speed_of = [&](const char* wanted) {
    return reader.amount(wanted, [&](const std::string& text) {
      const auto time = parse_quantity<ExactTime>(text);
      if (!(time > ExactTime())) throw RangeError(fmt::format("'{}': a row takes a time above 0", text));
      return OutputSpeed{output_kind(mechanism.train), Ratio(1) / (time.base() * rows)};
    });
  };
  SpeedOrder spin{.at = OutputSpeed{}};
  spin.from = speed_of("a time for a row such as 400 ms");
  reader.expect("to");
  const Word last = reader.peek();
  OutputSpeed to = speed_of("a time for a row such as 8 ms");
  reader.expect("per");
  reader.expect("row");
  OrderReader order(reader, place);
  spin.at = order.turned(to);
  reader.expect("in");
  spin.in = reader.time("a time such as 6 s");
  spin.lasts = order.lasts();
  try {
    six_step_limits(mechanism, rig.controller).require(OutputSpeed(spin.at));
  } catch (const RangeError& error) {
    throw LineReader::wrong(last, error.what());
  }
  return std::make_unique<SpinHeld>(place, std::move(spin), false);
}

std::unique_ptr<Verb> read_by_duty(LineReader& reader, std::size_t place) {
  OrderReader order(reader, place);
  DutyOrder spin{.duty = Fraction::from_base(order.share("a duty such as 40 %", -1))};
  if (const std::optional<Way> way = order.way()) {
    const bool has_sign = spin.duty.base() < 0.0;
    if (!order.is_forwards(has_sign ? Way::shortest : *way, "duty")) spin.duty = -spin.duty;
  }
  spin.in = order.ramp();
  spin.lasts = order.lasts();
  return std::make_unique<SpinByDuty>(place, std::move(spin));
}

/// Of a drive on a bus: as the speed that it is a share of.
std::unique_ptr<Verb> read_share_of_speed(LineReader& reader, std::size_t place) {
  const Rig& rig = reader.rig();
  const Mechanism& mechanism = rig.mechanisms[place];
  OrderReader order(reader, place);
  const Ratio share =
      Ratio(std::llround(1e6 * order.share("a share of its top speed such as 40 %", -1)), 1'000'000);
  SpeedOrder spin{.at = order.turned({output_kind(mechanism.train), mechanism.limits.speed.base * share})};
  return read_until(reader, place, std::move(spin));
}

std::unique_ptr<Verb> read_by_encoder(LineReader& reader, std::size_t place) {
  const Mechanism& mechanism = reader.rig().mechanisms[place];
  OrderReader order(reader, place);
  const OutputSpeed at = order.held_speed("a duty such as 40 %, or a speed such as 300 rpm");
  SpeedOrder spin = read_held(reader, order, at, [&](const OutputAcceleration& value) {
    held_speeds(mechanism).require_acceleration(value.base.to_double());
  });
  return std::make_unique<SpinHeld>(place, std::move(spin), true);
}

/// A master speed: nothing turns, others follow.
class SpinMaster final : public Verb {
 public:
  SpinMaster(std::size_t shaft, SpeedOrder order, double seconds)
      : shaft_(shaft), order_(order), seconds_(seconds) {}
  void foresee(const Statement&, Walk& walk) const override { walk.known.length.seconds += seconds_; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& master = *stage.cast.shafts[shaft_];
    return wait_for(able(master.name(), master.speeds(), "be given a speed").spin(stage.lines, order_));
  }

 private:
  std::size_t shaft_;
  SpeedOrder order_;
  double seconds_;
};

/// "pace at 900 rpm in 2.5 s", "pace at 60 rpm for 10 turns"
std::unique_ptr<Verb> read_master(LineReader& reader) {
  const Word name = reader.peek();
  const std::size_t place = reader.shaft();
  const Shaft& shaft = reader.rig().shafts[place];
  if (!shaft.is_master())
    throw LineReader::wrong(name,
                            fmt::format("{}: is turned by another machine, and not by this rig", shaft.name));
  const Mechanism parts = parts_of(shaft);
  reader.expect("at");
  SpeedOrder order{.at = OutputSpeed{output_kind(shaft.train), Ratio(0)}};
  order.at = reader.amount("a speed such as 900 rpm", [&](const std::string& text) {
    const OutputSpeed speed = parse_output<1>(text);
    require_kind(parts, speed.kind);
    const Ratio size = speed.base < Ratio(0) ? -speed.base : speed.base;
    if (shaft.speed.base < size)
      throw RangeError(
          fmt::format("{} is over the speed of {}, {}", to_text(speed), shaft.name, to_text(shaft.speed)));
    return speed;
  });
  double seconds = 0.0;
  if (reader.take("in")) {
    const ExactTime in = reader.time("a time such as 2.5 s");
    if (ExactTime() < in) order.in = in;
    seconds = in.base().to_double();
  } else if (shaft.acceleration) {
    seconds = std::abs(order.at.base.to_double()) / shaft.acceleration->base.to_double();
  }
  if (reader.take("for")) {
    order.by = reader.fraction("a way such as 10 turns", [&](const std::string& text) {
      const OutputPosition way = parse_output<0>(text);
      require_kind(parts, way.kind);
      if (!(Ratio(0) < way.base)) throw RangeError("the way is above 0; the speed says which way");
      return way;
    });
    if (order.at.base == Ratio(0)) throw LineReader::wrong(name, "at no speed it goes no way");
    seconds += std::abs((order.by->base / order.at.base).to_double());
  } else if (reader.take("until")) {
    reader.expect("stopped");
  }
  return std::make_unique<SpinMaster>(place, order, seconds);
}

}  // namespace

std::unique_ptr<Verb> read_spin(LineReader& reader) {
  using Moved = LineReader::Moved;
  const Word name = reader.peek();
  if (reader.comes_a_shaft()) return read_master(reader);
  const std::size_t place =
      reader.mechanism({Moved::by_steps, Moved::by_duty, Moved::six_step, Moved::on_bus});
  const Mechanism& mechanism = reader.rig().mechanisms[place];
  if ((mechanism.is_movable() || mechanism.has_bus_drive()) &&
      output_kind(mechanism.train) != OutputKind::rotary)
    throw LineReader::wrong(name, fmt::format("{} travels along a line: it does not spin", mechanism.name));
  if (mechanism.has_six_gates() && reader.take("from")) return read_rows(reader, place);
  reader.expect("at");
  if (mechanism.has_six_gates()) return read_six_step(reader, place);
  if (mechanism.has_bus_drive() && reader.comes_a_share()) return read_share_of_speed(reader, place);
  if (!mechanism.is_driven_by_duty()) return read_by_steps(reader, place);
  return reader.comes_a_share() ? read_by_duty(reader, place) : read_by_encoder(reader, place);
}

}  // namespace cogstride
