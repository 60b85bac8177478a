#include "cogstride/bench/simulated/twins/stepper_causes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/bench/simulated/twins/twins.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"

namespace cogstride {
namespace {

constexpr double much_less = 0.85;      // of what the rig says
constexpr double near_end = 10.0;       // full steps
constexpr double nailed_swing = 0.6;    // full steps
constexpr double longest_stand = 0.05;  // s of stepping

class StepperCauses {
 public:
  StepperCauses(const StepperEvidence& seen, const Mechanism& said)
      : seen_(seen),
        said_(said),
        drive_(said.is_movable_stepper() ? std::optional(stepper_drive(said)) : std::nullopt) {}

  std::vector<VerdictCause> take() {
    of_pulses();
    if (causes_.empty() && seen_.was_off && seen_.is_unfed_now)
      add("supply", fmt::format("its supply {} is down: its switch, its fuse, its leads", said_.supply.name));
    of_switches();
    if (seen_.was_off && (causes_.empty() || seen_.factor)) of_way();
    return std::move(causes_);
  }

 private:
  [[nodiscard]] bool is_switched() const { return std::holds_alternative<CoilWiring>(said_.wiring); }
  [[nodiscard]] bool is_two_pulse() const {
    const auto* const board = std::get_if<StepDirBoard>(&said_.board);
    return board != nullptr && board->form == StepDirBoard::Form::two_pulse;
  }
  void add(std::string name, std::string words) { causes_.push_back({std::move(name), std::move(words)}); }

  void of_pulses() {
    const StepDirReceiver::Counts& board = seen_.board;
    if (seen_.unfed > 0.0 && (board.missed_off > 0 || is_switched()))
      add("supply", supply_words(said_, seen_.unfed));
    if (is_switched()) return;  // its currents tell
    if (board.pulses == 0 && seen_.put_out > 0) {
      add("pulse wire",
          fmt::format("no pulse came to its board: the wire of STEP (lines.step), {}", ground_words(said_)));
    } else if (board.missed_off > 0 && causes_.empty()) {
      add(board.missed_off == board.pulses ? "enable" : "enable time",
          board.missed_off == board.pulses
              ? fmt::format("its board was off: {}", what_switches_it_off())
              : "when ENABLE changes, and how the board takes it (lines.enable, board.enable_active)");
    }
    if (board.missed_waking > 0) add("wake", "how long its board takes to wake (board.wake)");
    if (board.missed_short > 0)
      add("pulse width",
          "how long a pulse lasts and a pause between two (lines.pulse_width, board.shortest_high, "
          "shortest_low), and the top step rate");
    if (board.wrong_direction > 0)
      add("direction time", is_two_pulse()
                                ? "how soon one pulse line follows the other, and the idle level of both "
                                  "(board.dir_steady_before, board.step_edge)"
                                : "how long DIR stays before and after a step (lines.dir_steady_before, "
                                  "dir_steady_after)");
  }

  /// Where a factor explains what came, the places of its switches are where it is not.
  void of_switches() {
    if (seen_.bounced)
      add("bounce", fmt::format("how long the contact of {} bounces (sensor.{}.bounce, debounce)",
                                seen_.bounced->name, seen_.bounced->name));
    constexpr double longest_wrong = 0.02;  // s
    if (!causes_.empty() || std::max(seen_.acts_wrongly, seen_.silent_wrongly) < longest_wrong) return;
    if (seen_.factor) return;
    add("switch",
        fmt::format(
            "{} {}: its wire and its supply, its contact and the level at which it acts (sensor.{}.contact, "
            "active), and what stands in its way",
            seen_.wrong_switch,
            seen_.acts_wrongly > seen_.silent_wrongly ? "acts far from where it should"
                                                      : "does not act where it should",
            seen_.wrong_switch));
  }

  void of_way() {
    if (seen_.factor) return of_factor();
    if ((is_switched() || seen_.board.pulses > 0) && of_current()) return;
    const bool is_hard = limits_are_hard();
    if (!is_hard && seen_.made_swing > 1.3 * seen_.asked_swing + 10.0)
      return add(
          "load",
          "it went further than it was stepped: its load pulls it (load.steady_torque, or a weight), and "
          "the current that holds it");
    if (said_.hard_ends && seen_.slipped_at && is_at_an_end(*seen_.slipped_at))
      return of_obstacle(*seen_.slipped_at);
    if (seen_.drifted != 0.0 && std::abs(seen_.drifted) >= 2.0)
      return add("load", fmt::format("its load turned it while nothing was asked of it (load.steady_torque, "
                                     "or a weight), and the current that holds it"));
    if (const auto low = low_supply(said_, seen_.lowest_fed)) causes_.push_back(*low);
    if (seen_.stopped_at) return of_obstacle(*seen_.stopped_at);
    // It moved, but came nowhere.
    if (is_switched() && seen_.asked_swing > 8.0 && seen_.made_swing > nailed_swing &&
        seen_.made_swing < std::max(4.0, 0.1 * seen_.asked_swing) &&
        (seen_.came_free || seen_.held_fast <= longest_stand))
      add("coil order",
          "its rotor went to and fro and came nowhere: the order of the coil lines (lines.a_plus and the "
          "next "
          "three, board.terminals), or far more inertia or friction than the rig says (load)");
    if (causes_.empty() && seen_.held_fast > longest_stand)
      return add(
          "held",
          fmt::format("it was stepped with current in its coils and stood as if nailed: something jams, or "
                      "holds more than its torque (load.stiction){}",
                      is_switched() && seen_.made_swing < 4.0
                          ? ", or the order of its coil lines is wrong (lines.a_plus and the next "
                            "three, board.terminals)"
                          : ""));
    if (!is_hard && seen_.gained > seen_.lost)
      add("load",
          "it went further than its steps: its load pulls it (load.steady_torque), or it overshoots "
          "(load.inertia)");
    if (!causes_.empty()) return;
    of_limits();
  }

  void of_factor() {
    const double factor = *seen_.factor;
    if (factor < 0.0)
      add("direction",
          is_switched()
              ? "it goes the other way: the coil leads of its lines are in turned order (lines.a_plus "
                "and the next three)"
          : is_two_pulse()
              ? "it goes the other way: its two pulse lines are exchanged (lines.step, lines.dir)"
              : "it goes the other way: DIR is taken the other way round (lines.dir.active), or "
                "two leads of one coil are exchanged");
    const double by = std::abs(factor);
    if (by == 1.0) return;
    const bool power_of_two = std::abs(std::log2(by) - std::round(std::log2(by))) < 0.01;
    if (power_of_two)
      add("microsteps",
          is_switched()
              ? "full and half steps (board.stepping), the motor's full steps a turn "
                "(motor.full_steps), or the train"
              : "its board makes other microsteps than the rig says (board.microsteps, its switches "
                "or select lines), the motor has other full steps (motor.full_steps), or the "
                "train is another");
    else
      add("train",
          "what its train makes of a turn: the screw's lead, the pulleys' or gears' teeth, the motor's full "
          "steps a turn");
  }

  /// @return whether its currents say it
  bool of_current() {
    if (!drive_) return false;
    const double whole = drive_->current * drive_->field;
    const double most = std::max(seen_.a.by_size(), seen_.b.by_size());
    if (most < 0.02 * whole) {
      if (seen_.unfed > 0.0)
        add("supply", supply_words(said_, seen_.unfed));
      else
        add("enable", fmt::format("no current flowed in its coils: {}, the leads of both coils",
                                  what_switches_it_off()));
      return true;
    }
    for (const auto& [coil, name] : {std::pair(seen_.a, 'A'), std::pair(seen_.b, 'B')}) {
      if (seen_.asked_swing < 8.0 || coil.smaller_way() > 0.3 * most) continue;
      add("coil lead",
          fmt::format("coil {} carried {}: a lead of it is off, or a line or an output that feeds it", name,
                      coil.by_size() > 0.3 * most ? "current one way only" : "next to no current"));
      return true;
    }
    if (seen_.lowest_fed >= much_less * said_.supply.voltage.base() && drive_->is_limited &&
        seen_.highest_vector < much_less * whole) {
      add("current setting",
          fmt::format(
              "its coils carried {:.3g} A at the most, and the rig says {:.3g} A: the current that its "
              "board is set to (board.current, its switches)",
              seen_.highest_vector, whole));
      return true;
    }
    return false;
  }

  [[nodiscard]] bool is_at_an_end(double place) const {
    const double full_steps = (drive_ ? static_cast<double>(said_.stepper().full_steps) : 200.0) *
                              motor_turns_per_base(said_.train).to_double();
    const auto is_at = [&](const OutputPosition& end) {
      return std::abs(end.base.to_double() - place) * std::abs(full_steps) < near_end;
    };
    return said_.hard_ends && (is_at(said_.hard_ends->from) || is_at(said_.hard_ends->to));
  }

  void of_obstacle(double at) {
    const OutputKind kind = output_kind(said_.train);
    const std::string place =
        fmt::format("{:.4g} {}", display_units_per_base(kind) * at, display_unit(kind, 0));
    if (is_at_an_end(at))
      return add("hard end", fmt::format("it ran against its hard end at {} (limits.hard_ends)", place));
    add("hard end",
        fmt::format("it was stopped at {} each time and went back freely: a hard end or something in its way "
                    "that the rig does not know (limits.hard_ends), or a start that is not where it "
                    "was told to be",
                    place));
  }

  void of_limits() {
    std::string limits_words =
        "limits.acceleration, limits.speed and limits.start_speed, and whether the oscillation after a stop "
        "has "
        "time to die before it turns round";
    if (is_shaken())
      limits_words += fmt::format(
          "; it is shaken by whole steps near the {:.3g} Hz at which its rotor oscillates: more "
          "microsteps, or another speed",
          natural_frequency(said_));
    const char* const load_words =
        "more friction, load or inertia than the rig says, or less torque (load.coulomb_friction, "
        "load.inertia)";
    const bool is_hard = limits_are_hard();
    add(is_hard ? "limits" : "load", is_hard ? limits_words : load_words);
    add(is_hard ? "load" : "limits", is_hard ? load_words : limits_words);
  }

  /// Whether whole steps come at a rate that its rotor oscillates with.
  [[nodiscard]] bool is_shaken() const {
    if (!drive_ || seen_.slowest_step_rate == 0.0) return false;
    const double in_full_step =
        static_cast<double>(steps_per_motor_turn(said_)) / static_cast<double>(said_.stepper().full_steps);
    const double rate = seen_.slowest_step_rate / in_full_step;
    return in_full_step < 4.0 && rate > 0.3 * natural_frequency(said_) &&
           rate < 1.3 * natural_frequency(said_);
  }

  /// Whether the rig's own figures leave little of its torque.
  [[nodiscard]] bool limits_are_hard() const {
    if (!drive_ || is_shaken() || seen_.slipped_turning) return true;
    const Limits& limits = said_.limits;
    const double scale = static_cast<double>(steps_per_motor_turn(said_)) / (2.0 * pi);
    const double shaft =
        std::max(shaft_speed(said_, limits.speed.base.to_double()), seen_.highest_step_rate / scale);
    const double speed = shaft / shaft_speed(said_, 1.0);
    return limits.start_speed.base.to_double() > 0.7 * pull_in_speed(said_) ||
           usable_acceleration(said_, speed) < 1.3 * limits.acceleration.base.to_double();
  }

  /// What can keep its board from making steps: what this one has of it.
  [[nodiscard]] std::string what_switches_it_off() const {
    std::string words;
    const auto name = [&](const std::string& what) { words += (words.empty() ? "" : ", ") + what; };
    if (const auto* const wiring = std::get_if<StepDirWiring>(&said_.wiring)) {
      const auto* const board = std::get_if<StepDirBoard>(&said_.board);
      if (board != nullptr && (wiring->enable || said_.common.enable == EnableUse::open))
        name(fmt::format("ENABLE, which it wants {} (lines.enable.active, board.enable_active)",
                         board->enable_active == ActiveLevel::low ? "low" : "high"));
      if (wiring->sleep) name("SLEEP (lines.sleep)");
      if (wiring->reset) name("RESET (lines.reset)");
    } else if (const auto* const coils = std::get_if<CoilWiring>(&said_.wiring);
               coils != nullptr && coils->enable) {
      name("ENABLE (lines.enable, board.enable_active)");
    }
    name("its supply");
    return words + ", " + ground_words(said_);
  }

  const StepperEvidence& seen_;
  const Mechanism& said_;
  std::optional<StepperDrive> drive_;
  std::vector<VerdictCause> causes_{};
};

}  // namespace

std::vector<VerdictCause> causes_of(const StepperEvidence& seen, const Mechanism& said) {
  return StepperCauses(seen, said).take();
}

}  // namespace cogstride
