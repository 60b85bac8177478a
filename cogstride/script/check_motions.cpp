// Where every motion of a script would end, and how long it takes, without playing it.
//
// A repeat's body either sends a mechanism to a place that does not depend on where it began, or shifts it by
// the same way each time. So its first, second and last pass show every place that any pass can reach, and
// the way between the ends of the first two gives where the last one begins.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <span>
#include <vector>

#include "cogstride/motion/pulse_width/servo_mover.hpp"
#include "cogstride/motion/pulse_width/throttle_mover.hpp"
#include "cogstride/script/foreseen.hpp"
#include "cogstride/script/verbs/verb.hpp"

namespace cogstride {
namespace {

using Kind = Statement::Kind;

class MotionChecker {
 public:
  explicit MotionChecker(const Rig& rig) : rig_(rig) {}

  void pass(const std::vector<Statement>& statements, Foreseen& known) {
    for (const Statement& statement : statements) {
      if (known.endless != nullptr) {
        add(statement, fmt::format("this is never reached: the repeat in line {} has no end",
                                   known.endless->place.line));
        return;
      }
      try {
        take(statement, known);
      } catch (const RangeError& error) {
        add(statement, error.what());
      }
    }
  }

  std::vector<Diagnostic> wrong;

 private:
  void take(const Statement& statement, Foreseen& known) {
    switch (statement.kind) {
      case Kind::home:
        require_rest(rig_, statement, known);
        known.standing[statement.mechanism] = {true, mechanism_of(statement).homing->position, nullptr};
        known.length.is_whole = false;
        break;
      case Kind::move:
        move(statement, known, statement.order);
        break;
      case Kind::spin:
        if (mechanism_of(statement).has_six_gates()) {
          spin_held(statement, known);
        } else if (mechanism_of(statement).is_driven_by_duty()) {
          statement.by_duty ? spin_by_duty(statement, known) : spin_held(statement, known);
        } else {
          spin(statement, known);
        }
        break;
      case Kind::swing:
        swing(statement, known);
        break;
      case Kind::drive_pair:
        drive_pair(statement, known);
        break;
      case Kind::throttle:
        throttle(statement, known);
        break;
      case Kind::faster:
      case Kind::reverse:
        if (known.standing[statement.mechanism].spins == nullptr)
          add(statement, fmt::format("{} does not spin here: only 'spin ... until stopped' goes on meanwhile",
                                     mechanism_of(statement).name));
        else if (mechanism_of(statement).is_throttled())
          change_duty(statement, known);
        else if (mechanism_of(statement).is_driven_by_duty())
          change_driven(statement, known);
        break;
      case Kind::stop:
        stop(statement, known);
        break;
      case Kind::ready:
        known.length.is_whole = false;
        break;
      case Kind::fade_output:
        break;
      case Kind::measure:
      case Kind::jog:
        require_homed(rig_, statement, known);
        known.standing[statement.mechanism].at.reset();
        known.length.is_whole = false;
        break;
      case Kind::repeat:
        repeat(statement, known);
        break;
      case Kind::arrive_together:
      case Kind::start_together:
        together(statement, known);
        break;
      case Kind::in_order:
      case Kind::with_limits:
      case Kind::pattern:
        pass(statement.inside(), known);
        break;
      case Kind::verb:
        statement.verb->foresee(rig_, statement, known);
        break;
    }
  }

  [[nodiscard]] const Mechanism& mechanism_of(const Statement& statement) const {
    return rig_.mechanisms[statement.mechanism];
  }

  void move(const Statement& statement, Foreseen& known, const MoveOrder& order) {
    require_homed(rig_, statement, known);
    const Mechanism& mechanism = mechanism_of(statement);
    Standing& standing = known.standing[statement.mechanism];
    if (mechanism.is_driven_by_duty()) {
      if (standing.at) standing.at = target_of(mechanism, *standing.at, order);
      known.length.is_whole = false;
      return;
    }
    const RampLimits limits = ramp_limits(mechanism, rig_.controller, order.speed, order.acceleration);
    if (!standing.at) {
      // From somewhere: a place is a place, and where a way leads to is seen when it comes to it.
      if (order.to && !order.way) standing.at = target_of(mechanism, *order.to, order);
      known.length.is_whole = false;
      return;
    }
    const OutputPosition target = target_of(mechanism, *standing.at, order);
    const std::int64_t way = step_at(mechanism, target) - step_at(mechanism, *standing.at);
    if (order.in) {
      (void)limits_to_take(mechanism, order.in->base().to_double(), way, limits);
      known.length.seconds += order.in->base().to_double();
    } else {
      known.length.seconds += plan_ramp({}, way, limits).duration();
    }
    standing.at = target;
  }

  void spin(const Statement& statement, Foreseen& known) {
    const Mechanism& mechanism = mechanism_of(statement);
    if (const std::optional<MoveOrder> way = move_of(mechanism, rig_.controller, statement.spin)) {
      move(statement, known, *way);
      return;
    }
    require_homed(rig_, statement, known);
    Standing& standing = known.standing[statement.mechanism];
    standing.spins = &statement;
    standing.at.reset();
  }

  /// How long it takes to come to a duty, when that can be.
  double change_to(const Statement& statement, Foreseen& known, double duty) const {
    Standing& standing = known.standing[statement.mechanism];
    const std::optional<ExactTime>& ramp = statement.by_duty->in;
    const Mechanism& mechanism = mechanism_of(statement);
    const DutyLimits limits = mechanism.is_throttled() ? throttle_limits(mechanism) : duty_limits(mechanism);
    const DutyPlan plan =
        plan_duty(standing.duty, duty, limits, ramp ? std::optional(ramp->base().to_double()) : std::nullopt);
    standing.duty = duty;
    return plan.duration();
  }

  /// Before its first pulse nobody knows where a servo stands.
  void swing(const Statement& statement, Foreseen& known) const {
    const Mechanism& mechanism = mechanism_of(statement);
    Standing& standing = known.standing[statement.mechanism];
    if (!standing.at && !statement.order.to)
      throw RangeError(
          fmt::format("nobody knows where {0} stands before its first swing: write 'swing {0} to' "
                      "an angle first",
                      mechanism.name));
    const OutputPosition from = standing.at.value_or(OutputPosition{output_kind(mechanism.train), 0});
    const OutputPosition to = target_of(mechanism, from, statement.order);
    known.length.seconds += swing_seconds(mechanism, standing.at, to, statement.order);
    standing.at = to;
  }

  /// Both wheels must stand: a place is where they were last, and how long they take follows from their
  /// loops.
  void drive_pair(const Statement& statement, Foreseen& known) const {
    const WheeledPair& pair = rig_.pairs[statement.pair];
    for (std::size_t i = 0; i < rig_.mechanisms.size(); ++i) {
      if (rig_.mechanisms[i].name != pair.left && rig_.mechanisms[i].name != pair.right) continue;
      if (known.standing[i].spins != nullptr)
        throw RangeError(fmt::format("{0} still spins (line {1}): write 'stop {0}' first",
                                     rig_.mechanisms[i].name, known.standing[i].spins->place.line));
      known.standing[i].at.reset();
    }
    known.length.is_whole = false;
  }

  void throttle(const Statement& statement, Foreseen& known) const {
    const Mechanism& mechanism = mechanism_of(statement);
    Standing& standing = known.standing[statement.mechanism];
    if (!standing.is_armed)
      throw RangeError(fmt::format("{0} is not armed here: write 'arm {0}' first", mechanism.name));
    known.length.seconds += change_to(statement, known, statement.by_duty->duty.base());
    standing.spins = statement.by_duty->duty.base() == 0.0 ? nullptr : &statement;
    if (!statement.by_duty->lasts) return;
    known.length.seconds += statement.by_duty->lasts->base().to_double() + change_to(statement, known, 0.0);
    standing.spins = nullptr;
  }

  void spin_by_duty(const Statement& statement, Foreseen& known) const {
    Standing& standing = known.standing[statement.mechanism];
    const double up = change_to(statement, known, statement.by_duty->duty.base());
    standing.is_held = false;
    standing.at.reset();
    standing.spins = &statement;
    if (!statement.by_duty->lasts) return;
    known.length.seconds +=
        up + statement.by_duty->lasts->base().to_double() + change_to(statement, known, 0.0);
    standing.spins = nullptr;
  }

  static void spin_held(const Statement& statement, Foreseen& known) {
    Standing& standing = known.standing[statement.mechanism];
    standing.spins = statement.spin.lasts ? nullptr : &statement;
    standing.is_held = true;
    standing.at.reset();
    standing.duty = 0.0;
    if (statement.spin.lasts) known.length.seconds += statement.spin.lasts->base().to_double();
  }

  void change_driven(const Statement& statement, Foreseen& known) const {
    const bool is_held = known.standing[statement.mechanism].is_held;
    if (statement.kind == Kind::faster && is_held == statement.by_duty.has_value())
      throw RangeError(fmt::format("{} {}", mechanism_of(statement).name,
                                   is_held ? "is held at a speed here: change it by one, such as 20 rpm"
                                           : "is given a duty here: change it by one, such as 5 %"));
    if (statement.kind == Kind::reverse && is_held && statement.by_duty->in)
      throw RangeError(
          fmt::format("{} is held at a speed here: its limits say how fast it reverses, so leave 'in' out",
                      mechanism_of(statement).name));
    if (!is_held) change_duty(statement, known);
  }

  void change_duty(const Statement& statement, Foreseen& known) const {
    const double from = known.standing[statement.mechanism].duty;
    if (statement.kind == Kind::reverse) {
      (void)change_to(statement, known, -from);
      return;
    }
    const double to = std::abs(from) + statement.by_duty->duty.base();
    if (to <= 0.0)
      throw RangeError(fmt::format("{}: of its duty nothing would be left; stop it instead",
                                   mechanism_of(statement).name));
    (void)change_to(statement, known, std::copysign(to, from));
  }

  void stop(const Statement& statement, Foreseen& known) const {
    if (statement.by_duty) known.length.seconds += change_to(statement, known, 0.0);
    for (std::size_t i = 0; i < known.standing.size(); ++i) {
      if (statement.mechanism != Statement::everything && statement.mechanism != i) continue;
      known.standing[i].spins = nullptr;
      known.standing[i].duty = 0.0;
    }
  }

  /// Each statement inside begins where the mechanisms stood before; they use different ones.
  void together(const Statement& statement, Foreseen& known) {
    ScriptLength longest = known.length;
    const double before = known.length.seconds;
    for (const Statement& branch : statement.body) {
      known.length.seconds = before;
      pass({&branch, 1}, known);
      longest.seconds = std::max(longest.seconds, known.length.seconds);
    }
    known.length.seconds = longest.seconds;
  }
  void pass(std::span<const Statement> statements, Foreseen& known) {
    for (const Statement& statement : statements) {
      try {
        take(statement, known);
      } catch (const RangeError& error) {
        add(statement, error.what());
      }
    }
  }

  void repeat(const Statement& statement, Foreseen& known) {
    const double before = known.length.seconds;
    pass(statement.body, known);
    if (known.endless != nullptr) return;
    if (statement.count == 0) known.length.has_an_end = false;
    if (statement.count == 1) return;
    const Foreseen first = known;
    pass(statement.body, known);
    const double each = known.length.seconds - first.length.seconds;
    if (statement.count != 2) skip_to_last_pass(statement, first, known);
    if (statement.count == 0) {
      known.endless = &statement;
    } else {
      known.length.seconds =
          before + (first.length.seconds - before) + each * static_cast<double>(statement.count - 1);
    }
  }

  void skip_to_last_pass(const Statement& statement, const Foreseen& first, Foreseen& known) {
    for (std::size_t i = 0; i < known.standing.size(); ++i) {
      const std::optional<OutputPosition>& was = first.standing[i].at;
      std::optional<OutputPosition>& is = known.standing[i].at;
      if (!was || !is) continue;
      const Ratio shift = is->base - was->base;
      if (statement.count != 0) {
        is->base = was->base + shift * Ratio(statement.count - 2);
      } else if (shift != Ratio(0) && rig_.mechanisms[i].limits.travel_from) {
        throw RangeError(fmt::format("each pass takes {} on by {}: without end it leaves its travel",
                                     rig_.mechanisms[i].name, to_text(OutputPosition{is->kind, shift})));
      }
    }
    pass(statement.body, known);
  }

  void add(const Statement& statement, const std::string& message) {
    const auto same = [&](const Diagnostic& d) { return d.place.line == statement.place.line; };
    if (std::any_of(wrong.begin(), wrong.end(), same)) return;
    const std::string marks(statement.text.size(), '^');
    add_or_end(wrong, {statement.place, message, fmt::format("    {}\n    {}", statement.text, marks)});
  }

  const Rig& rig_;
};

}  // namespace

bool has_known_length(const Statement& statement) {
  switch (statement.kind) {
    case Kind::move:
      return !statement.by_encoder;
    case Kind::swing:
    case Kind::throttle:
      return true;
    case Kind::verb:
      return statement.verb->has_known_length();
    case Kind::spin:
      return statement.by_duty ? statement.by_duty->lasts.has_value()
                               : statement.spin.lasts || statement.spin.by;
    default:
      return false;
  }
}

ScriptCheck check_motions(const Script& script, const Rig& rig, const KnownPositions& positions) {
  MotionChecker checker(rig);
  Foreseen known;
  for (const Mechanism& mechanism : rig.mechanisms) {
    const OutputPosition zero{output_kind(mechanism.train), 0};
    const auto given = positions.find(mechanism.name);
    if (given != positions.end()) {
      known.standing.push_back({true, given->second, nullptr});
    } else if (mechanism.takes_pulse_width()) {
      known.standing.push_back({});
    } else {
      known.standing.push_back(mechanism.homing ? Standing{} : Standing{true, zero, nullptr});
    }
  }
  checker.pass(script.statements, known);
  return {std::move(checker.wrong), known.length};
}

}  // namespace cogstride
