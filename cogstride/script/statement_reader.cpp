#include "cogstride/script/statement_reader.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "cogstride/motion/brushless/six_step_limits.hpp"
#include "cogstride/motion/cart/pair_mover.hpp"
#include "cogstride/motion/pulse_width/servo_mover.hpp"
#include "cogstride/motion/stepper/homing_goal.hpp"
#include "cogstride/plan/pulse_scale.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/script/verbs/verb.hpp"

namespace cogstride {
namespace {

using Kind = Statement::Kind;
using Moved = LineReader::Moved;

constexpr std::int64_t most_repeats = 1'000'000'000;

class StatementReader {
 public:
  StatementReader(LineReader& reader, std::span<const Stretch> stretches, Statement& statement)
      : reader_(reader), rig_(reader.rig()), stretches_(stretches), statement_(statement) {}

  void read_home() {
    statement_.kind = Kind::home;
    statement_.mechanism = reader_.mechanism();
    if (!mechanism().homing) {
      throw reader_.wrong_statement(
          fmt::format("{} has nothing to home with: its rig has no homing table", mechanism().name));
    }
  }

  void read_move() {
    statement_.kind = Kind::move;
    const Word name = reader_.peek();
    statement_.mechanism = reader_.mechanism({Moved::by_steps, Moved::by_duty});
    const bool by_encoder = mechanism().is_driven_by_duty();
    if (by_encoder && !has_encoder(mechanism()))
      throw LineReader::wrong(
          name,
          fmt::format("{}: is driven by duty and has no encoder: it knows no places", mechanism().name));
    const Word& how = reader_.word("'to' or 'by'");
    if (how.text == "to") {
      if (reader_.take("station")) {
        statement_.order.to = station();
      } else {
        statement_.order.to = position("a position such as 85 mm");
      }
    } else if (how.text == "by") {
      statement_.order.by = position("a way such as -5 mm");
    } else {
      throw LineReader::wrong(
          how, fmt::format("found '{}'; expected 'to' (a position) or 'by' (a way)", how.text));
    }
    statement_.by_encoder = by_encoder;
    if (by_encoder) {
      if (reader_.take("at")) statement_.order.speed = held_speed("a speed such as 60 rpm");
      return;
    }
    read_limits();
    read_takes();
  }

  void read_turn() {
    statement_.kind = Kind::move;
    const Word name = reader_.peek();
    statement_.mechanism = reader_.mechanism();
    if (output_kind(mechanism().train) != OutputKind::rotary) {
      throw LineReader::wrong(
          name, fmt::format("{} travels along a line: it moves, and does not turn", mechanism().name));
    }
    reader_.expect("to");
    TurnOrder turn;
    if (reader_.take("station")) {
      turn.to = station();
    } else {
      turn.to = position("an angle such as 225 deg");
    }
    if (const std::optional<Way> way = read_way()) turn.way = *way;
    statement_.order = move_of(mechanism(), turn);
    read_limits();
    read_takes();
  }

  std::optional<Way> read_way() {
    if (reader_.take("clockwise")) return Way::clockwise;
    if (reader_.take("anticlockwise") || reader_.take("counter-clockwise")) return Way::counter_clockwise;
    if (!reader_.take("the")) return std::nullopt;
    reader_.expect("short");
    reader_.expect("way");
    return Way::shortest;
  }

  void read_spin() {
    statement_.kind = Kind::spin;
    const Word name = reader_.peek();
    statement_.mechanism = reader_.mechanism({Moved::by_steps, Moved::by_duty, Moved::six_step});
    if (mechanism().has_six_gates()) {
      reader_.expect("at");
      read_six_step_speed();
      return;
    }
    if (mechanism().is_driven_by_duty()) {
      reader_.expect("at");
      if (reader_.comes_a_share()) {
        read_spin_by_duty();
      } else {
        read_held_speed();
      }
      return;
    }
    if (output_kind(mechanism().train) != OutputKind::rotary)
      throw LineReader::wrong(name,
                              fmt::format("{} travels along a line: it does not spin", mechanism().name));
    reader_.expect("at");
    statement_.spin.at = speed("a speed such as 40 deg/s", true);
    if (const std::optional<Way> way = read_way()) statement_.spin.at = turned(statement_.spin.at, *way);
    if (reader_.take("and")) statement_.spin.acceleration = acceleration();
    if (reader_.take("for")) {
      reader_.amount("a time such as 10 s or a way such as 3 turns", [&](const std::string& text) {
        if (parse_any_quantity(text).powers == powers_of<dimensions::Time>) {
          statement_.spin.lasts = parse_quantity<ExactTime>(text);
        } else {
          statement_.spin.by = parse_output<0>(text);
        }
        (void)move_of(mechanism(), rig_.controller, statement_.spin);
        return 0;
      });
    } else {
      reader_.expect("until");
      reader_.expect("stopped");
    }
  }

  /// Of a bare brushless motor: what it can is asked of a mover of its own.
  void read_six_step_speed() {
    const auto limits = [&] { return six_step_limits(mechanism(), rig_.controller); };
    statement_.spin.at = reader_.amount("a speed such as 900 rpm", [&](const std::string& text) {
      const OutputSpeed value = parse_output<1>(text);
      require_kind(mechanism(), value.kind);
      limits().require(value);
      return value;
    });
    read_rest_of_speed([&](const OutputAcceleration& value) { limits().require(value); });
  }

  /// Of a motor that is driven by duty: its encoder holds the speed.
  void read_held_speed() {
    statement_.spin.at = held_speed("a duty such as 40 %, or a speed such as 300 rpm");
    read_rest_of_speed([&](const OutputAcceleration& value) {
      held_speeds(mechanism()).require_acceleration(value.base.to_double());
    });
  }

  /// What follows a speed: its way, its acceleration, and how long it lasts.
  template <typename Require>
  void read_rest_of_speed(const Require& require) {
    if (const std::optional<Way> way = read_way()) statement_.spin.at = turned(statement_.spin.at, *way);
    if (reader_.take("and"))
      statement_.spin.acceleration =
          reader_.amount("an acceleration such as 2000 deg/s2", [&](const std::string& text) {
            const OutputAcceleration value = parse_output<2>(text);
            require_kind(mechanism(), value.kind);
            require(value);
            return value;
          });
    if (reader_.take("for")) {
      statement_.spin.lasts = reader_.time("a time such as 10 s");
    } else {
      reader_.expect("until");
      reader_.expect("stopped");
    }
  }

  OutputSpeed held_speed(const std::string& wanted) {
    return reader_.amount(wanted, [&](const std::string& text) {
      const OutputSpeed value = parse_output<1>(text);
      require_kind(mechanism(), value.kind);
      held_speeds(mechanism()).require(value.base.to_double());
      return value;
    });
  }

  /// A speed with a word for its way.
  OutputSpeed turned(OutputSpeed speed, Way way) {
    const bool forwards = (way == Way::clockwise) == (mechanism().limits.forwards == TurningSense::clockwise);
    if (way == Way::shortest || speed.base < Ratio(0))
      throw reader_.wrong_statement("a speed with a sign says which way; with a word it has none");
    return forwards ? speed : OutputSpeed{speed.kind, -speed.base};
  }

  void read_spin_by_duty() {
    DutyOrder order{.duty = Fraction()};
    order.duty = Fraction::from_base(share("a duty such as 40 %", -1));
    if (const std::optional<Way> way = read_way()) {
      const bool forwards =
          (*way == Way::clockwise) == (mechanism().limits.forwards == TurningSense::clockwise);
      if (*way == Way::shortest || order.duty.base() < 0.0)
        throw reader_.wrong_statement("a duty with a sign says which way; with a word it has none");
      if (!forwards) order.duty = -order.duty;
    }
    order.in = read_ramp();
    if (reader_.take("for")) {
      order.lasts = reader_.time("a time such as 10 s");
    } else {
      reader_.expect("until");
      reader_.expect("stopped");
    }
    statement_.by_duty = order;
  }

  /// A share of full duty, from `least` to 1.
  double share(const std::string& wanted, int least) {
    return reader_.amount(wanted, [&](const std::string& text) {
      const auto share = parse_quantity<ExactFraction>(text);
      if (share.base() < Ratio(least) || Ratio(1) < share.base())
        throw RangeError(fmt::format("'{}' is no share of full duty; {} % to 100 % are", text, 100 * least));
      return share.base().to_double();
    });
  }

  std::optional<ExactTime> read_ramp() {
    if (!reader_.take("in")) return std::nullopt;
    return reader_.time("a time such as 2 s");
  }

  void read_change_of_speed(bool slower) {
    statement_.kind = Kind::faster;
    statement_.mechanism =
        reader_.mechanism({Moved::by_steps, Moved::by_duty, Moved::throttled, Moved::six_step});
    reader_.expect("by");
    if (mechanism().is_throttled() || (mechanism().is_driven_by_duty() && reader_.comes_a_share())) {
      DutyOrder change{.duty = Fraction()};
      change.duty = Fraction::from_base(share("a share of full duty such as 5 %", 0));
      if (change.duty.base() == 0.0)
        throw reader_.wrong_statement("a share above 0; faster and slower say which way");
      if (slower) change.duty = -change.duty;
      statement_.by_duty = change;
      return;
    }
    statement_.change = speed("a speed such as 5 deg/s", false);
    if (statement_.change.base <= Ratio(0))
      throw reader_.wrong_statement("a speed above 0; faster and slower say which way");
    if (slower) statement_.change.base = -statement_.change.base;
  }
  void read_faster() { read_change_of_speed(false); }
  void read_slower() { read_change_of_speed(true); }

  void read_one(Kind kind) {
    statement_.kind = kind;
    statement_.mechanism = reader_.mechanism();
  }
  void read_reverse() {
    statement_.kind = Kind::reverse;
    statement_.mechanism =
        reader_.mechanism({Moved::by_steps, Moved::by_duty, Moved::throttled, Moved::six_step});
    if (has_duty()) statement_.by_duty = DutyOrder{Fraction(), read_ramp(), {}};
  }
  void read_swing() {
    statement_.kind = Kind::swing;
    statement_.mechanism = reader_.mechanism({Moved::swings});
    const Word& how = reader_.word("'to' or 'by'");
    if (how.text != "to" && how.text != "by")
      throw LineReader::wrong(how,
                              fmt::format("found '{}'; expected 'to' (an angle) or 'by' (a way)", how.text));
    const OutputPosition place =
        position(how.text == "to" ? "an angle such as 70 deg" : "a way such as -5 deg");
    (how.text == "to" ? statement_.order.to : statement_.order.by) = place;
    if (!reader_.take("at")) return;
    read_swing_limit();
    if (reader_.take("and")) read_swing_limit();
  }

  void read_swing_limit() {
    read_limit("a speed such as 200 deg/s or an acceleration such as 2000 deg/s2", [&] {
      (void)swing_limits(mechanism(), statement_.order.speed, statement_.order.acceleration);
    });
  }

  void read_throttle() {
    statement_.kind = Kind::throttle;
    statement_.mechanism = reader_.mechanism({Moved::throttled});
    reader_.expect("to");
    const bool both_ways = PulseScale(mechanism()).goes_both_ways();
    DutyOrder order{.duty = Fraction()};
    order.duty = Fraction::from_base(share("a throttle such as 40 %", both_ways ? -1 : 0));
    order.in = read_ramp();
    if (reader_.take("for")) order.lasts = reader_.time("a time such as 10 s");
    statement_.by_duty = order;
  }

  /// "drive cart 500 mm", "drive cart 90 deg round 300 mm": the first amount says by its kind what it is.
  void read_drive() {
    statement_.kind = Kind::drive_pair;
    statement_.pair = reader_.pair();
    CartWay& way = statement_.cart.way;
    reader_.amount("a way such as 500 mm, or an angle such as 90 deg", [&](const std::string& text) {
      if (parse_any_quantity(text).powers == powers_of<dimensions::Angle>) {
        way.turns = parse_quantity<Angle>(text);
      } else {
        way.by = parse_quantity<Length>(text);
      }
      if (!(std::abs(way.turns ? way.turns->base() : way.by->base()) > 0.0))
        throw RangeError(fmt::format("'{}' is a way of nothing", text));
      return 0;
    });
    if (way.turns && reader_.take("round")) {
      way.radius = reader_.amount("the radius of an arc, such as 300 mm", [](const std::string& text) {
        const auto radius = parse_quantity<Length>(text);
        if (!(radius.base() > 0.0)) throw RangeError(fmt::format("'{}' is no radius: one is above 0", text));
        return radius;
      });
    } else if (way.turns && !reader_.take("on")) {
      throw reader_.wrong_statement("a turn is 'round' a radius, or 'on the spot'");
    } else if (way.turns) {
      reader_.expect("the");
      reader_.expect("spot");
    }
    if (!reader_.take("at")) return;
    const bool on_the_spot = way.turns && !way.radius;
    statement_.cart.speed = reader_.amount(
        on_the_spot ? "a speed such as 60 deg/s" : "a speed such as 200 mm/s", [&](const std::string& text) {
          const auto speed = parse_output<1>(text);
          const WheeledPair& pair = rig_.pairs[statement_.pair];
          (void)cart_wheels(pair, mechanism_named(rig_, pair.left), mechanism_named(rig_, pair.right))
              .required(pair.name, way, speed);
          return speed;
        });
  }

  void read_stop() {
    statement_.kind = Kind::stop;
    if (reader_.at_end()) return;
    if (reader_.comes_a_pair()) {
      statement_.pair = reader_.pair();
      return;
    }
    statement_.mechanism = reader_.mechanism(
        {Moved::by_steps, Moved::by_duty, Moved::swings, Moved::throttled, Moved::six_step});
    if (has_duty()) statement_.by_duty = DutyOrder{Fraction(), read_ramp(), {}};
  }

  void read_fade() {
    statement_.kind = Kind::fade_output;
    statement_.output = reader_.output();
    const PlainOutput& output = rig_.outputs[statement_.output];
    if (!output.timer || !output.pwm_frequency) {
      throw reader_.wrong_statement(fmt::format(
          "{} is only switched; to fade it, give it a timer and a pwm_frequency in the rig", output.name));
    }
    reader_.expect("to");
    statement_.share = share("a share such as 30 %", 0);
    if (reader_.take("in")) statement_.pause = reader_.time("a time such as 2 s");
  }

  void read_ready() {
    statement_.kind = Kind::ready;
    statement_.longest = ExactTime(60, Unit<dimensions::Time>{1});
    if (reader_.take("within")) statement_.longest = reader_.time("a time such as 10 s");
  }

  void read_measure() {
    read_one(Kind::measure);
    try {
      (void)far_switch_goal(mechanism(), rig_.controller);
    } catch (const RangeError& error) {
      throw reader_.wrong_statement(error.what());
    }
  }

  void read_jog() {
    read_one(Kind::jog);
    reader_.expect("with");
    statement_.keys.push_back(reader_.input());
    reader_.expect("and");
    statement_.keys.push_back(reader_.input());
    statement_.spin.at = mechanism().homing ? mechanism().homing->speed : mechanism().limits.speed;
    if (reader_.take("at")) statement_.spin.at = speed("a speed such as 5 mm/s", true);
    if (reader_.take("past")) {
      reader_.expect("limits");
      statement_.on = true;
      if (!mechanism().hard_ends)
        throw reader_.wrong_statement(
            fmt::format("{} has no hard_ends in its rig: nobody knows how far it may go past its limits",
                        mechanism().name));
    }
    reader_.expect("until");
    statement_.awaits = reader_.input();
    reader_.expect("is");
    statement_.awaits.acts = reader_.on_or_off();
  }

  void read_repeat() {
    statement_.kind = Kind::repeat;
    if (reader_.take("without")) {
      reader_.expect("end");
      statement_.count = 0;
      return;
    }
    statement_.count = reader_.count("a count such as 3", 1, most_repeats);
    reader_.expect("times");
  }

  void read_arrive() {
    statement_.kind = Kind::arrive_together;
    reader_.expect("together");
  }
  void read_start() {
    statement_.kind = Kind::start_together;
    reader_.expect("together");
  }
  void read_in_order() {
    statement_.kind = Kind::in_order;
    reader_.expect("order");
  }

  void read_with() {
    statement_.kind = Kind::with_limits;
    statement_.mechanism = reader_.mechanism();
    if (!reader_.next_is("at")) reader_.expect("at");
    read_limits();
  }

 private:
  [[nodiscard]] const Mechanism& mechanism() const { return rig_.mechanisms[statement_.mechanism]; }
  [[nodiscard]] bool has_duty() const {
    return mechanism().is_driven_by_duty() || mechanism().is_throttled();
  }

  OutputPosition position(const std::string& wanted) { return reader_.position(mechanism(), wanted); }

  OutputPosition station() {
    const Word number = reader_.peek();
    const std::int64_t station = reader_.count("a station such as 5", 0, most_repeats);
    try {
      return station_at(mechanism(), station);
    } catch (const RangeError& error) {
      throw LineReader::wrong(number, error.what());
    }
  }

  OutputSpeed speed(const std::string& wanted, bool is_limit) {
    return reader_.amount(wanted, [&](const std::string& text) {
      const OutputSpeed value = parse_output<1>(text);
      require_kind(mechanism(), value.kind);
      const OutputSpeed magnitude{value.kind, value.base < Ratio(0) ? -value.base : value.base};
      if (is_limit) (void)ramp_limits(mechanism(), rig_.controller, magnitude);
      return value;
    });
  }

  OutputAcceleration acceleration() {
    return reader_.amount("an acceleration such as 40 deg/s2", [&](const std::string& text) {
      const OutputAcceleration value = parse_output<2>(text);
      (void)ramp_limits(mechanism(), rig_.controller, {}, value);
      return value;
    });
  }

  /// Limits that are said, else those of the stretch that it stands in.
  void read_limits() {
    if (reader_.take("at")) {
      read_limit();
      if (reader_.take("and")) read_limit();
    }
    for (auto stretch = stretches_.rbegin(); stretch != stretches_.rend(); ++stretch) {
      if (stretch->mechanism != statement_.mechanism) continue;
      if (!statement_.order.speed) statement_.order.speed = stretch->speed;
      if (!statement_.order.acceleration) statement_.order.acceleration = stretch->acceleration;
    }
  }

  void read_takes() {
    if (!reader_.take("in")) return;
    statement_.order.in = reader_.amount("a time such as 3 s", [&](const std::string& text) {
      const auto time = parse_quantity<ExactTime>(text);
      if (!(time > ExactTime())) throw RangeError(fmt::format("'{}': a move takes a time above 0", text));
      return time;
    });
  }

  void read_limit() {
    read_limit("a speed such as 40 mm/s or an acceleration such as 800 mm/s2", [&] {
      (void)ramp_limits(mechanism(), rig_.controller, statement_.order.speed, statement_.order.acceleration);
    });
  }

  /// A speed or an acceleration, told apart by its unit, and checked against the mechanism.
  template <class Check>
  void read_limit(const char* wanted, Check check) {
    reader_.amount(wanted, [&](const std::string& text) {
      const ParsedQuantity parsed = parse_any_quantity(text);
      const bool is_acceleration = parsed.powers == powers_of<OutputAcceleration::LinearDimension> ||
                                   parsed.powers == powers_of<OutputAcceleration::RotaryDimension>;
      if (is_acceleration ? statement_.order.acceleration.has_value() : statement_.order.speed.has_value()) {
        throw RangeError(is_acceleration ? "the acceleration is given twice" : "the speed is given twice");
      }
      if (is_acceleration) {
        statement_.order.acceleration = parse_output<2>(text);
      } else {
        statement_.order.speed = parse_output<1>(text);
      }
      check();
      return 0;
    });
  }

  LineReader& reader_;
  const Rig& rig_;
  std::span<const Stretch> stretches_;
  Statement& statement_;
};

struct OldVerb {
  const char* word;
  void (StatementReader::*read)();
};

constexpr std::array verbs{
    OldVerb{"home", &StatementReader::read_home},         OldVerb{"move", &StatementReader::read_move},
    OldVerb{"turn", &StatementReader::read_turn},         OldVerb{"spin", &StatementReader::read_spin},
    OldVerb{"faster", &StatementReader::read_faster},     OldVerb{"slower", &StatementReader::read_slower},
    OldVerb{"reverse", &StatementReader::read_reverse},   OldVerb{"stop", &StatementReader::read_stop},
    OldVerb{"fade", &StatementReader::read_fade},         OldVerb{"ready", &StatementReader::read_ready},
    OldVerb{"measure", &StatementReader::read_measure},   OldVerb{"jog", &StatementReader::read_jog},
    OldVerb{"repeat", &StatementReader::read_repeat},     OldVerb{"arrive", &StatementReader::read_arrive},
    OldVerb{"start", &StatementReader::read_start},       OldVerb{"in", &StatementReader::read_in_order},
    OldVerb{"with", &StatementReader::read_with},         OldVerb{"swing", &StatementReader::read_swing},
    OldVerb{"throttle", &StatementReader::read_throttle}, OldVerb{"drive", &StatementReader::read_drive}};

}  // namespace

std::vector<std::string> statement_verbs(std::span<const VerbWord> more) {
  std::vector<std::string> found;
  for (const OldVerb& verb : verbs) found.emplace_back(verb.word);
  for (const std::span<const VerbWord> words : {verb_words(), more})
    for (const VerbWord& verb : words) found.emplace_back(verb.word);
  return found;
}

bool read_by_verb(std::string_view verb, std::span<const VerbWord> more, LineReader& reader,
                  std::span<const Stretch> stretches, Statement& statement) {
  for (const std::span<const VerbWord> words : {verb_words(), more}) {
    for (const VerbWord& known : words) {
      if (known.word != verb) continue;
      statement.kind = Kind::verb;
      statement.verb = known.read(reader, statement);
      return true;
    }
  }
  const auto* const known =
      std::find_if(verbs.begin(), verbs.end(), [&](const OldVerb& each) { return each.word == verb; });
  if (known == verbs.end()) return false;
  (StatementReader(reader, stretches, statement).*known->read)();
  return true;
}

}  // namespace cogstride
