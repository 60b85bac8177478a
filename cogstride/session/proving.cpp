#include "cogstride/session/proving.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "cogstride/board/bus/drive_profile.hpp"
#include "cogstride/board/line_levels.hpp"
#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/quantity/literals.hpp"

namespace cogstride {
namespace {

using namespace literals;

constexpr const char* brought_up = "brought up";
constexpr const char* off = "off";
constexpr const char* told_off = "told off";
constexpr const char* coil_pairs = "coil pairs";
constexpr const char* rest_levels = "rest levels";
constexpr const char* enable = "enable";
constexpr const char* single_steps = "single steps";
constexpr const char* forwards = "forwards";
constexpr const char* backwards = "backwards";
constexpr const char* known_way = "known way";
constexpr const char* by_the_watch = "by the watch";
constexpr double slow_seconds = 10.0;    // that the slow way of that stage takes, or longer
constexpr std::int64_t steps_shown = 4;  // full steps, one by one

std::string stage_of(const PlaceSwitch& place_switch) {
  return "switch " + place_switch.name;
}
std::string stage_of(const Encoder& encoder) {
  return "encoder " + encoder.name;
}

bool has_pairs(const Mechanism& mechanism) {
  const auto* const motor = std::get_if<Stepper>(&mechanism.motor);
  return motor != nullptr && motor->phases == Stepper::Phases::bipolar && motor->leads == 4;
}

/// Whether a line of the controller switches the outputs on: then they are off at rest.
bool is_off_at_rest(const Mechanism& mechanism) {
  return mechanism.common.enable == EnableUse::driven ||
         std::holds_alternative<TransistorArray>(mechanism.board);
}

/// (Micro)steps that make one full step; a fiftieth of a turn for a servo.
std::int64_t a_full_step(const Mechanism& mechanism) {
  const auto* const motor = std::get_if<Stepper>(&mechanism.motor);
  return std::max<std::int64_t>(
      1, steps_per_motor_turn(mechanism) / (motor != nullptr ? motor->full_steps : 50));
}

/// A way of the output that an eye can check, a whole number of motor turns or a part of a turn of the
/// output.
OutputPosition way_to_check(const Mechanism& actual) {
  const OutputKind kind = output_kind(actual.train);
  if (kind == OutputKind::rotary) {
    const Ratio quarter(1, 4);
    const bool fits = !actual.limits.travel_from ||
                      quarter * Ratio(4) <= actual.limits.travel_to->base - actual.limits.travel_from->base;
    return {kind, fits ? quarter : Ratio(1, 36)};
  }
  return {kind, Ratio(1) / motor_turns_per_base(actual.train)};
}

class Proving {
 public:
  Proving(const Rig& rig, const std::string& name, const OpenBench& open, Bystander& bystander,
          const std::vector<std::string>& before)
      : rig_(rig_to_prove(rig, name)),
        declared_(mechanism_named(rig, name)),
        open_(open),
        bystander_(bystander) {
    if (!declared_.has_bus_drive()) require_movable(declared_);
    result_.reversed = declared_.reversed;
    for (const std::string& stage : proving_stages(declared_))
      if (std::find(before.begin(), before.end(), stage) != before.end()) result_.proven.push_back(stage);
  }

  ProvingResult run() {
    open();
    const bool all =
        declared_.has_bus_drive()
            ? up() && on() && there() && back() && way() && watch() && ends()
            : pairs() && rest() && on() && steps() && back() && way() && watch() && encoders() && switches();
    if (!all && !fault_.empty() && result_.look_at.empty()) result_.look_at = fault_;
    bench_.reset();
    return std::move(result_);
  }

 private:
  [[nodiscard]] const Mechanism& mechanism() const { return rig_.mechanisms.front(); }
  /// Whichever handle it has. @param act  is given that
  template <class Act>
  void with_handle(Act act) {
    if (declared_.has_bus_drive()) {
      act(bench_->bus_drive(mechanism().name));
    } else {
      act(bench_->stepper(mechanism().name));
    }
  }
  void moves(const MoveOrder& order) {
    with_handle([&](auto handle) { handle.move(order).wait(); });
  }
  void holds() {
    with_handle([](auto handle) { handle.hold(); });
  }
  void lets_go() {
    with_handle([](auto handle) { handle.release(); });
  }
  [[nodiscard]] bool is_proven(const std::string& stage) const {
    return std::find(result_.proven.begin(), result_.proven.end(), stage) != result_.proven.end();
  }
  bool proved(const std::string& stage) {
    result_.proven.push_back(stage);
    bystander_.proved(stage);
    return true;
  }
  bool fails(const std::string& stage, const std::string& look_at) {
    result_.failed = stage;
    result_.look_at = look_at;
    return false;
  }
  bool ask(const std::string& stage, const std::string& question, const std::string& look_at) {
    if (!bystander_.asked(*bench_, question)) return fails(stage, look_at);
    return proved(stage);
  }

  void open() {
    bench_ = open_(rig_);
    bench_->leave_encoders_unchecked();
    bench_->on_fault([this](const std::string& why) { fault_ = why; });
  }

  bool pairs() {
    if (!has_pairs(declared_) || is_proven(coil_pairs)) return true;
    const Stepper& motor = declared_.stepper();
    const auto wire = [&](std::size_t i) {
      return i < motor.wires.size() ? fmt::format("{} ({})", lead_names(4)[i], motor.wires[i])
                                    : lead_names(4)[i];
    };
    bystander_.told("Motor supply off, motor unplugged. A coil whose two ends touch brakes the shaft.");
    return ask(
        coil_pairs,
        fmt::format("Is it hard to turn by hand with {} on {}, hard with {} on {}, and easy with {} on {}?",
                    wire(0), wire(1), wire(2), wire(3), wire(0), wire(2)),
        "two wires that make it hard to turn together are one coil: they belong on A, the other two on "
        "B; which of a coil is + only settles the direction");
  }

  bool rest() {
    if (!is_off_at_rest(declared_) || is_proven(rest_levels)) return true;
    std::vector<std::string> levels;
    for (const BoardLine& line : board_lines(mechanism().wiring)) {
      const bool high = level_for(line.line, false);
      levels.push_back(
          fmt::format("{} (line {}) {}", line.use, line_name(line.line.number), high ? "high" : "low"));
    }
    bystander_.told(fmt::format("Plug the motor in, motor supply on. All lines are at rest: {}.",
                                fmt::join(levels, ", ")));
    bench_->serve(0.3_s);
    return ask(rest_levels, "Can you turn the shaft by hand, as with the supply off?",
               "its outputs are on at rest: look at the active level of ENABLE (board.enable_active), at its "
               "wire, and at what the board does when ENABLE is open");
  }

  /// A drive on a bus: who it is, what it was told and read back; and no current flows then.
  bool up() {
    if (is_proven(brought_up) && is_proven(off)) return true;
    bystander_.told(
        fmt::format("Motor supply on. Drive {} is asked who it is, given its defaults back, set, and "
                    "each value read back.",
                    std::get<BusWiring>(declared_.wiring).id));
    constexpr int looks = 400;
    const BusDriveHandle drive = bench_->bus_drive(mechanism().name);
    for (int i = 0; i < looks && !drive.is_armed() && drive.fault().empty(); ++i) bench_->serve(0.01_s);
    if (!drive.is_armed()) return fails(brought_up, drive.fault());
    if (!is_proven(brought_up)) {
      bench_->serve(0.1_s);
      if (const auto told = drive.told())
        bystander_.told(
            fmt::format("It is as the rig says, as stored and in force. It tells {:.4g} V of its "
                        "supply, and {:.2g} A of its motor.",
                        told->supply.base(), told->current.base()));
      proved(brought_up);
    }
    if (is_proven(off)) return true;
    return ask(
        off, "Can you turn the shaft by hand?",
        "it is on although nobody has told it so, or its brake is: look at its brake's supply, and at what "
        "its maker's program has set to be done at power-up");
  }

  /// One turn of the motor.
  [[nodiscard]] OutputPosition small_way(int way) const {
    return {output_kind(declared_.train), Ratio(way) / motor_turns_per_base(declared_.train)};
  }

  bool there() {
    if (is_proven(forwards)) return true;
    for (bool turned = false;; turned = true) {
      const OutputPosition way = small_way(1);
      bystander_.told(fmt::format("One turn of the motor forwards, slowly; {} of the output.", to_text(way)));
      if (!goes(way)) return fails(forwards, "");
      if (bystander_.asked(*bench_, fmt::format("Did the output go forwards: {}?", which_way_is_forwards())))
        return proved(forwards);
      if (turned)
        return fails(forwards,
                     "it goes the same way whichever is asked: its drive does not take its polarity "
                     "(607E:00); exchange the sense of its encoder in its maker's program");
      turn_round();
    }
  }

  /// Its one disable.
  bool ends() {
    if (is_proven(told_off)) return true;
    bystander_.told("The drive is told off, as each end and each fault tells it.");
    const BusDriveHandle drive = bench_->bus_drive(mechanism().name);
    if (!acts([&] {
          lets_go();
          bench_->serve(0.3_s);
        }))
      return fails(told_off, "");
    if (const auto told = drive.told(); !told || told->state != to_text(DriveState::switch_on_disabled))
      return fails(told_off, "it still says that it is driven: look at its input that enables it by hand");
    return ask(told_off, "Can you turn the shaft by hand again?",
               "it says that it is off, and holds: look at its brake");
  }

  bool on() {
    if (is_proven(enable)) return true;
    bystander_.told("The outputs are switched on.");
    const bool on = acts([this] {
      holds();
      bench_->serve(0.3_s);
    });
    if (!on) return fails(enable, "");
    return ask(enable, "Does the shaft hold against your fingers?", why_it_does_not_hold());
  }

  /// What of it this board has.
  [[nodiscard]] std::string why_it_does_not_hold() const {
    if (declared_.has_bus_drive())
      return "it says that it is driven: look at the motor's three wires, and at the current "
             "(limits.current)";
    std::string words = "no current flows: look at the motor's supply";
    if (!inputs_of(declared_.board).isolated) words += " and its ground";
    if (declared_.common.enable == EnableUse::driven &&
        !std::holds_alternative<TransistorArray>(declared_.board))
      words += ", at the active level of ENABLE (board.enable_active) and its wire";
    if (declared_.common.enable == EnableUse::open) words += ", at ENABLE, which is left open";
    if (std::holds_alternative<CoilWiring>(declared_.wiring))
      words += ", at the four coil lines and their levels";
    else if (declared_.is_movable_stepper())
      words += ", at the current setting";
    return words + ", and whether " +
           (declared_.is_movable_stepper() ? "both coils are plugged in"
                                           : "the servo is switched on and tells no fault");
  }

  /// Does something on the bench. @return whether it came to an end without a fault
  bool acts(const std::function<void()>& what) {
    fault_.clear();
    try {
      what();
    } catch (const Error& error) {
      fault_ = error.what();
    }
    return fault_.empty();
  }

  /// Full steps, one by one.
  bool single(int way) {
    const Ratio step = Ratio(a_full_step(mechanism())) / steps_per_base(mechanism());
    const OutputKind kind = output_kind(mechanism().train);
    return acts([&] {
      holds();
      bench_->serve(0.3_s);
      for (std::int64_t i = 0; i < steps_shown; ++i) {
        moves({.by = OutputPosition(kind, Ratio(way) * step)});
        bench_->serve(0.5_s);
      }
    });
  }

  [[nodiscard]] std::string steps_in_words() const {
    const Ratio a_turn = Ratio(a_full_step(mechanism())) / Ratio(steps_per_motor_turn(mechanism()));
    const Ratio output = Ratio(a_full_step(mechanism())) / steps_per_base(mechanism());
    return fmt::format("{:.4g} deg of the motor shaft, {} of the output", 360.0 * a_turn.to_double(),
                       to_text(OutputPosition(output_kind(mechanism().train), magnitude(output))));
  }

  [[nodiscard]] std::string which_way_is_forwards() const {
    if (output_kind(declared_.train) == OutputKind::linear) return "towards larger positions";
    return declared_.limits.forwards == TurningSense::clockwise ? "clockwise, seen from where you stand"
                                                                : "anticlockwise, seen from where you stand";
  }

  bool steps() {
    if (is_proven(single_steps) && is_proven(forwards)) return true;
    for (bool turned = false;; turned = true) {
      bystander_.told(fmt::format("Four steps forwards, half a second apart; each {}.", steps_in_words()));
      if (!single(+1)) return fails(single_steps, "");
      if (!is_proven(single_steps) &&
          !ask(single_steps, "Were they four steps of one size, all the same way?",
               "a shaft that shivers to and fro has its coils in the wrong order: look at the coil pairs, "
               "and at "
               "the order of the lines (`cogstride sequence` prints the rows); one that only hums lacks "
               "current"))
        return false;
      if (bystander_.asked(*bench_, fmt::format("Did the output go forwards: {}?", which_way_is_forwards())))
        return proved(forwards);
      if (turned)
        return fails(
            forwards,
            "it goes the same way whichever is asked: look at the wire of DIR, and whether it is on the "
            "input it belongs to");
      turn_round();
    }
  }

  void turn_round() {
    result_.reversed = !result_.reversed;
    Mechanism& mechanism = rig_.mechanisms.front();
    reverse(mechanism);
    mechanism.reversed = result_.reversed;
    bench_.reset();
    bystander_.turned_round(result_.reversed);
    open();
  }

  bool back() {
    if (is_proven(backwards)) return true;
    if (declared_.has_bus_drive()) {
      bystander_.told("The same back.");
      if (!goes(small_way(-1))) return fails(backwards, "");
      return ask(backwards, "Did it come back to where it was?",
                 "it lags or slips: look at the coupling, and at its encoder's wires");
    }
    bystander_.told("Four steps back.");
    if (!single(-1)) return fails(backwards, "");
    return ask(backwards, "Did it come back, four steps the other way?",
               "DIR does not reach the board: look at its wire and its level, and at the time that the board "
               "wants it to stand before a step (dir_steady_before)");
  }

  bool way() {
    if (is_proven(known_way)) return true;
    const OutputPosition way = way_to_check(declared_);
    const Ratio motor_turns = magnitude(way.base * motor_turns_per_base(declared_.train));
    bystander_.told(
        fmt::format("Put a mark on shaft and output. The output goes {} forwards; that is {:.5g} of the "
                    "motor's turns.",
                    to_text(way), motor_turns.to_double()));
    const std::string look_at =
        std::holds_alternative<StepDirBoard>(declared_.board)
            ? fmt::format(
                  "the rig says {} steps a turn: twice as far, the board makes half of that; half as far, "
                  "twice of it: look at its switches and at board.microsteps; off by a little: count the "
                  "teeth of the train",
                  steps_per_motor_turn(declared_))
        : declared_.has_bus_drive()
            ? "twice as far, or half, or four times: look at board.encoder_lines (a line is four counts); "
              "off by "
              "a little: count the teeth of the train"
            : "twice as far, or half: look at full and half steps (board.stepping) and at motor.full_steps; "
              "off by "
              "a little: count the teeth of the train";
    if (!goes(way)) return fails(known_way, "");
    if (!bystander_.asked(*bench_, fmt::format("Did it go {}?", to_text(way))))
      return fails(known_way, look_at);
    bystander_.told("It comes back.");
    if (!goes({way.kind, -way.base})) return fails(known_way, "");
    return ask(known_way, "Does it stand at the mark again?",
               "it lost steps on one of the two ways: look for what binds, and at the current; " + look_at);
  }

  /// The same way slowly, and back as fast as the rig allows: its time against the sum, and whether it is
  /// back.
  bool watch() {
    if (is_proven(by_the_watch)) return true;
    const OutputPosition way = way_to_check(declared_);
    const OutputPosition back{way.kind, -way.base};
    OutputSpeed slow = declared_.limits.speed;
    slow.base =
        std::min(slow.base / Ratio(4), magnitude(way.base) / Ratio(static_cast<std::int64_t>(slow_seconds)));
    const auto sum = [&](const MoveOrder& order) {
      return plan_move(mechanism(), rig_.controller, {way.kind, Ratio(0)}, order).ramp.duration();
    };
    MoveOrder slowly{.by = way, .speed = slow};
    MoveOrder fast{.by = back};
    bystander_.told(fmt::format(
        "Take a watch. The same way slowly: by the sum it takes {:.1f} s. Then back as fast as the "
        "rig allows, {:.2g} s.",
        sum(slowly), sum(fast)));
    const auto made = [&](const MoveOrder& order) {
      return acts([&] {
        moves(order);
        bench_->serve(0.3_s);
      });
    };
    if (!made(slowly)) return fails(by_the_watch, "");
    if (!bystander_.asked(*bench_,
                          fmt::format("Did it take {:.1f} s by your watch, to half a second?", sum(slowly))))
      return fails(
          by_the_watch,
          declared_.has_bus_drive()
              ? "its common instants come at another rate than the rig says: look at controller.bus.cycle, "
                "and at this computer's clock"
              : "its steps come at another rate than the rig says: look at controller.timer_clock and at "
                "interval_resolution; half or twice the time is a clock divided by two");
    if (!made(fast)) return fails(by_the_watch, "");
    return ask(by_the_watch, "Does it stand at the mark again, after the fast way?",
               "it lost steps at its full speed: look at limits.acceleration, limits.speed and "
               "limits.start_speed, at the "
               "current, and for what binds");
  }

  /// Slowly by a way. @return whether without a fault
  bool goes(OutputPosition way) {
    OutputSpeed slow = declared_.limits.speed;
    slow.base = slow.base / Ratio(4);
    return acts([&] {
      moves({.by = way, .speed = slow});
      bench_->serve(0.3_s);
    });
  }

  /// What an encoder counted over the known way must have the sign of it.
  bool encoders() {
    for (const Sensor& sensor : mechanism().sensors) {
      const auto* const encoder = std::get_if<Encoder>(&sensor);
      if (encoder == nullptr || is_proven(stage_of(*encoder))) continue;
      const OutputPosition way = way_to_check(declared_);
      const double expected = (way.base * counts_per_base(mechanism(), *encoder)).to_double();
      bystander_.told(fmt::format("{} forwards once more; {} should count {:.0f}.", to_text(way),
                                  encoder->name, expected));
      const std::string stage = stage_of(*encoder);
      const std::int64_t before = bench_->stepper(mechanism().name).measured().count;
      if (!goes(way)) return fails(stage, "");
      const std::int64_t counted = bench_->stepper(mechanism().name).measured().count - before;
      const double off = static_cast<double>(counted) - expected;
      if (std::abs(off) > 2.0 + 0.02 * std::abs(expected)) {
        const bool turned =
            std::abs(static_cast<double>(counted) + expected) < 2.0 + 0.02 * std::abs(expected);
        return fails(stage, fmt::format("it counted {}: {}", counted,
                                        turned ? "it counts the other way: swap its lines A and B, or say "
                                                 "counts_backwards"
                                               : "look at its lines, at lines_per_turn and at after_stages"));
      }
      bystander_.told(fmt::format("It counted {}.", counted));
      proved(stage);
    }
    return true;
  }

  bool switches() {
    bool released = false;
    for (const Sensor& sensor : mechanism().sensors) {
      const auto* const place_switch = std::get_if<PlaceSwitch>(&sensor);
      if (place_switch == nullptr || is_proven(stage_of(*place_switch))) continue;
      if (!released && !acts([this] { lets_go(); })) return fails(stage_of(*place_switch), "");
      released = true;
      if (!by_finger(*place_switch)) return false;
    }
    return true;
  }

  bool by_finger(const PlaceSwitch& place_switch) {
    const std::string stage = stage_of(place_switch);
    const auto line = static_cast<LineId>(place_switch.line);
    const auto acts_now = [this, line] { return bench_->inputs().acts(line).value_or(false); };
    bench_->serve(0.1_s);  // it has been read, and has stood as long as the rig wants
    const char* const level = place_switch.active == ActiveLevel::high ? "high" : "low";
    if (acts_now()) {
      if (!bystander_.asked(*bench_,
                            fmt::format("{} (line {}) acts now, its line is {}. Does the output stand in "
                                        "it, or something press it?",
                                        place_switch.name, line_name(place_switch.line), level)))
        return fails(stage,
                     fmt::format("it acts while nothing touches it: its level is the wrong way round "
                                 "(active), its contact normally closed or open otherwise than thought, or "
                                 "its wire broken (line {})",
                                 line_name(place_switch.line)));
    } else {
      const auto acts = [&] { return acts_now(); };
      if (!bystander_.touches(*bench_, place_switch, true, acts))
        return fails(stage,
                     fmt::format("nothing was seen: its line {} stays {}; look at its wires, its supply and "
                                 "its pull resistor",
                                 line_name(place_switch.line), level[0] == 'h' ? "low" : "high"));
    }
    if (!bystander_.touches(*bench_, place_switch, false, [&] { return !acts_now(); }))
      return fails(stage, fmt::format("it does not let go: its line {} stays {}",
                                      line_name(place_switch.line), level));
    return proved(stage);
  }

  Rig rig_;
  Mechanism declared_;
  const OpenBench& open_;
  Bystander& bystander_;
  std::unique_ptr<Bench> bench_;
  std::string fault_;
  ProvingResult result_{};
};

}  // namespace

std::vector<std::string> proving_stages(const Mechanism& mechanism) {
  std::vector<std::string> stages;
  if (mechanism.has_bus_drive())
    return {brought_up, off, enable, forwards, backwards, known_way, by_the_watch, told_off};
  if (has_pairs(mechanism)) stages.emplace_back(coil_pairs);
  if (is_off_at_rest(mechanism)) stages.emplace_back(rest_levels);
  for (const char* const stage : {enable, single_steps, forwards, backwards, known_way, by_the_watch})
    stages.emplace_back(stage);
  for (const Sensor& sensor : mechanism.sensors)
    if (const auto* const encoder = std::get_if<Encoder>(&sensor)) stages.push_back(stage_of(*encoder));
  for (const Sensor& sensor : mechanism.sensors)
    if (const auto* const place_switch = std::get_if<PlaceSwitch>(&sensor))
      stages.push_back(stage_of(*place_switch));
  return stages;
}

Rig rig_to_prove(const Rig& rig, const std::string& name) {
  Rig alone = only_with(rig, {name});
  Mechanism& mechanism = alone.mechanisms.front();
  mechanism.homing.reset();
  mechanism.follows.reset();
  mechanism.limits.travel_from.reset();
  mechanism.limits.travel_to.reset();
  mechanism.limits.stations.reset();
  return alone;
}

ProvingResult prove(const Rig& rig, const std::string& mechanism, const OpenBench& open, Bystander& bystander,
                    const std::vector<std::string>& proven_before) {
  return Proving(rig, mechanism, open, bystander, proven_before).run();
}

}  // namespace cogstride
