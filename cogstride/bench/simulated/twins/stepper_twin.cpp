// Steppers, and servos that take steps.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <string>

#include "cogstride/bench/simulated/twins/twins.hpp"
#include "cogstride/motion/stepper/stepper_mover.hpp"
#include "cogstride/plant/step_servo_plant.hpp"
#include "cogstride/plant/stepper_plant.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"

namespace cogstride {
namespace {

std::unique_ptr<SteppedPlant> plant_of(const TwinSetup& setup) {
  if (setup.mechanism->is_movable_stepper())
    return std::make_unique<StepperPlant>(*setup.mechanism, setup.plant);
  return std::make_unique<StepServoPlant>(*setup.mechanism, setup.plant);
}

class StepperTwin final : public Twin {
 public:
  StepperTwin(const StepperMover& mover, const TwinSetup& setup)
      : mover_(mover),
        lines_(*setup.lines),
        plant_(plant_of(setup)),
        ticks_per_second_(setup.plant.clock.base().to_double()) {}

  [[nodiscard]] Plant* plant() override { return plant_.get(); }
  [[nodiscard]] ShaftPlant* shaft() override { return plant_.get(); }

  [[nodiscard]] std::vector<TracedSignal> signals() const override {
    const OutputKind kind = output_kind(mover_.mechanism().train);
    return {{"made", std::string(display_unit(kind, 0))},
            {"speed", std::string(display_unit(kind, 1))},
            {"phase_a", "A"},
            {"phase_b", "A"}};
  }

  void sample(std::span<double> values) const override {
    const double scale = display_units_per_base(output_kind(mover_.mechanism().train));
    values[0] = scale * (plant_->position() - whole_turns_);
    values[1] = scale * plant_->speed();
    values[2] = plant_->current_a();
    values[3] = plant_->current_b();
  }

  void noted(const MotionNote& note) override {
    // Until the zero is found nobody knows where it stands, so nothing can have been lost.
    if (note.kind == MotionNote::Kind::home_edge) {
      plant_->count_losses_from_here();
      zero_found_ = true;
    }
    hold_motion_against(note);
    const Mechanism& mechanism = mover_.mechanism();
    const bool on_a_ring =
        !mechanism.limits.travel_from && output_kind(mechanism.train) == OutputKind::rotary;
    if (note.kind == MotionNote::Kind::homed && on_a_ring)
      whole_turns_ = std::round(plant_->position() - mechanism.homing->position.base.to_double());
  }

  void judge(MoverVerdict& verdict, Tick now, double) const override {
    const Mechanism& mechanism = mover_.mechanism();
    const StepDirReceiver::Counts& counts = plant_->counts();
    const OutputKind kind = output_kind(mechanism.train);
    const double scale = display_units_per_base(kind);
    const std::string unit(display_unit(kind, 0));
    const double made = scale * (plant_->position() - whole_turns_);
    const auto asked = mover_.position(now);
    const std::int64_t missed = counts.missed_off + counts.missed_waking + counts.missed_short;
    const bool counts_losses = !mechanism.homing || zero_found_ || mover_.origin();
    const std::int64_t lost = counts_losses ? plant_->lost_microsteps() : 0;
    verdict.sum = asked
                      ? fmt::format("asked to stand at {:.6g} {}, stands at {:.3f} {}",
                                    scale * asked->base.to_double(), unit, made, unit)
                      : fmt::format("where it was to stand is not known; it stands at {:.3f} {}", made, unit);
    verdict.rows = {
        {is_switched() ? "steps" : "pulses",
         fmt::format("{} put out, {} missed", counts.pulses,
                     missed == 0 ? std::string("none") : std::to_string(missed))},
        {"steps lost", !counts_losses            ? "not counted: its zero was not found"
                       : plant_->slips().empty() ? "none"
                                                 : fmt::format("{} {}", std::abs(lost), step_words())}};
    std::erase_if(verdict.figures, [](const VerdictFigure& each) { return each.name == "net_steps"; });
    verdict.add("made", made, unit);
    verdict.add("net_steps", static_cast<double>(steps_out()));
    verdict.add("pulses", static_cast<double>(counts.pulses));
    verdict.add("missed_switched_off", static_cast<double>(counts.missed_off));
    verdict.add("missed_waking", static_cast<double>(counts.missed_waking));
    verdict.add("missed_too_short", static_cast<double>(counts.missed_short));
    verdict.add("wrong_direction", static_cast<double>(counts.wrong_direction));
    verdict.add("lost_microsteps",
                counts_losses ? static_cast<double>(lost) : std::numeric_limits<double>::quiet_NaN());
    complain_of_pulses(verdict, counts);
    if (counts_losses) {
      complain_of_losses(verdict, lost);
    } else {
      verdict.not_looked_at.push_back("steps lost: its zero was not found");
    }
    if (!asked) {
      verdict.not_looked_at.push_back("where it stands: nobody knows where it was to stand");
      return;
    }
    verdict.looked_at.push_back("where it stands against where its steps lead");
    const double off = std::abs(scale * asked->base.to_double() - made);
    const double full_step = scale * static_cast<double>(plant_->microsteps_per_period()) / 4.0 /
                             std::abs(steps_per_base(mechanism).to_double());
    // But for what friction and load hold a rotor off its field.
    const bool stands = full_step == 0.0 || off <= full_step;
    verdict.looked_at.push_back("where it stood after each motion against where its steps led");
    const double scaled = scale * worst_.off;
    verdict.add("worst_off", scaled, unit);
    const bool was_off = full_step != 0.0 && std::abs(scaled) > 2.0 * full_step;
    const bool is_clear = was_off && has_factor();
    if ((!stands || was_off) && !is_clear && (missed > 0 || !plant_->slips().empty()))
      return;  // said already
    if (was_off) {
      // A way that is some times what was asked explains what else went wrong.
      verdict.complaints.insert(
          verdict.complaints.begin(),
          fmt::format("at {:.3f} s it was to stand at {:.4g} {}, and it stood {:.4g} {} away: {}",
                      seconds(worst_.at), scale * worst_.asked, unit, std::abs(scaled), unit,
                      cause_words(worst_)));
      return;
    }
    if (!stands)
      verdict.complaints.push_back(fmt::format(
          "it stands {:.4g} {} from where its steps lead: the rotor did not follow its field. Look at the "
          "order of the coil lines (lines.a_plus and the next three, board.terminals), at the speed and at "
          "the load",
          off, unit));
  }

 private:
  /// One motion: what was asked of it and what came, from where each began. m or turns.
  struct Way {
    Tick at = 0;
    double asked = 0.0;
    double off = 0.0;
    double asked_way = 0.0;
    double made_way = 0.0;
  };

  void hold_motion_against(const MotionNote& note) {
    const auto asked = mover_.position(note.at);
    if (!asked) return;
    const double made = plant_->position() - whole_turns_;
    if (note.kind == MotionNote::Kind::began) {
      began_asked_ = asked->base.to_double();
      began_made_ = made;
      return;
    }
    if (note.kind != MotionNote::Kind::done) return;
    const Way way{note.at, asked->base.to_double(), made - asked->base.to_double(),
                  asked->base.to_double() - began_asked_.value_or(asked->base.to_double()),
                  made - began_made_};
    if (std::abs(way.off) > std::abs(worst_.off)) worst_ = way;
    look_for_factor(way);
  }

  /// Whether each motion came out as the same power of two of what was asked, mirrored or not, to two full
  /// steps: steps that were lost may come near one once, and not each time.
  void look_for_factor(const Way& way) {
    const double full_step = static_cast<double>(plant_->microsteps_per_period()) / 4.0 /
                             std::abs(steps_per_base(mover_.mechanism()).to_double());
    if (std::abs(way.asked_way) < 8.0 * full_step || way.made_way == 0.0) return;
    const double by = times(way);
    const double factor = std::copysign(std::exp2(std::round(std::log2(std::abs(by)))), by);
    const bool fits = std::abs(way.made_way - factor * way.asked_way) <= 2.0 * full_step;
    is_one_factor_ = is_one_factor_ && fits && (factor_ == 0.0 || factor == factor_);
    factor_ = factor;
  }

  static double times(const Way& way) { return way.asked_way == 0.0 ? 0.0 : way.made_way / way.asked_way; }
  /// Whether a power of two, or a mirror, or both, explain every motion.
  [[nodiscard]] bool has_factor() const { return is_one_factor_ && factor_ != 0.0 && factor_ != 1.0; }

  /// What makes a way that is some times what was asked.
  [[nodiscard]] std::string cause_words(const Way& way) const {
    const bool two_pulse = mover_.mechanism().is_movable_stepper() && !is_switched() &&
                           mover_.mechanism().step_dir().form == StepDirBoard::Form::two_pulse;
    const double by = times(way);
    if (std::abs(by) < 0.02) return fmt::format("it did not move. Look at {}", what_holds_it());
    std::string words;
    if (has_factor() && factor_ < 0.0)
      words = is_switched()
                  ? "it went the other way: the coil leads of its lines are in turned order (lines.a_plus "
                    "and the next three)"
              : two_pulse ? "it went the other way: its two pulse lines are exchanged (lines.step, lines.dir)"
                          : "it went the other way: DIR is taken the other way round (lines.dir.active), or "
                            "two leads of one coil are exchanged";
    if (has_factor() && std::abs(factor_) != 1.0)
      words += fmt::format(
          "{}it went {:.4g} times as far: its board makes other microsteps than the rig says "
          "(board.microsteps, its switches or select lines)",
          words.empty() ? "" : "; and ", std::abs(factor_));
    if (!words.empty()) return words;
    return is_switched()
               ? "the rotor did not follow its field. Look at the order of the coil lines (lines.a_plus and "
                 "the next three, board.terminals), at the speed and at the load"
               : "its rotor did not follow its steps. Look at the speed, the ramp and the load, at its hard "
                 "ends, and at what its board counts as a step (board.microsteps)";
  }

  /// What can keep a board from moving its motor: what this one has of it.
  [[nodiscard]] std::string what_holds_it() const {
    const Mechanism& mechanism = mover_.mechanism();
    std::string words = "its supply, and the ground between it and the controller";
    if (const auto* const wiring = std::get_if<StepDirWiring>(&mechanism.wiring)) {
      if (wiring->enable || mechanism.common.enable == EnableUse::open)
        words += ", ENABLE (lines.enable.active, board.enable_active)";
      if (wiring->sleep) words += ", SLEEP (lines.sleep)";
      if (wiring->reset) words += ", RESET (lines.reset)";
      words += ", the wire of STEP (lines.step)";
    } else {
      words += ", the four coil lines";
    }
    return words + ", and whether its shaft is held";
  }

  [[nodiscard]] bool is_switched() const {
    return std::holds_alternative<CoilWiring>(mover_.mechanism().wiring);
  }
  /// What its steps are called.
  [[nodiscard]] const char* step_words() const {
    const std::int64_t in_full_step = plant_->microsteps_per_period() / 4;
    if (is_switched()) return in_full_step == 2 ? "half steps" : "full steps";
    return in_full_step > 1 ? "microsteps" : "steps";
  }

  void complain_of_pulses(MoverVerdict& verdict, const StepDirReceiver::Counts& counts) const {
    verdict.looked_at.push_back("its pulses against what its board takes");
    const auto complain = [&](std::string words) { verdict.complaints.push_back(std::move(words)); };
    const auto* const board = std::get_if<StepDirBoard>(&mover_.mechanism().board);
    if (counts.missed_off > 0 && counts.missed_off == counts.pulses) {
      const auto* const wiring = std::get_if<StepDirWiring>(&mover_.mechanism().wiring);
      const bool sleeps = wiring != nullptr && (wiring->sleep || wiring->reset);
      if (wiring == nullptr || !wiring->enable || sleeps)
        complain(fmt::format("nothing moved: the board was off whenever a pulse came. Look at {}",
                             what_holds_it()));
      else
        complain(
            fmt::format("nothing moved: ENABLE had the level that switches the board off whenever a pulse "
                        "came; the board "
                        "wants it {}. Look at lines.enable.active and board.enable_active",
                        board != nullptr && board->enable_active == ActiveLevel::low ? "low" : "high"));
    } else if (counts.missed_off > 0) {
      complain(fmt::format("{} pulses came while the board was switched off. Look at when ENABLE changes",
                           counts.missed_off));
    }
    if (counts.missed_waking > 0)
      complain(
          fmt::format("{} pulses came before the board was awake. Look at board.wake", counts.missed_waking));
    if (counts.missed_short > 0)
      complain(fmt::format(
          "{} of {} pulses were missed: STEP stayed at one level for as little as {}, and the board needs "
          "{}. "
          "Look at lines.pulse_width and at the top step rate",
          counts.missed_short, counts.pulses, seconds_text(seconds(counts.shortest)),
          seconds_text(board == nullptr ? 0.0 : std::max(board->shortest_high, board->shortest_low).base())));
    if (counts.wrong_direction > 0)
      complain(fmt::format(
          "{} steps went the wrong way: DIR changed too near to a step. Look at lines.dir_steady_before and "
          "lines.dir_steady_after",
          counts.wrong_direction));
  }

  void complain_of_losses(MoverVerdict& verdict, std::int64_t lost) const {
    verdict.looked_at.push_back("steps lost, by the rotor's angle");
    const auto& slips = plant_->slips();
    const auto steps = [&](std::int64_t microsteps) {
      return 4 * std::abs(microsteps) / plant_->microsteps_per_period();
    };
    for (const SteppedPlant::Slip& slip : slips)
      verdict.moments.push_back(
          {slip.at,
           "steps lost",
           {{"microsteps", static_cast<double>(slip.microsteps), ""}, {"rate", slip.step_rate, "steps/s"}}});
    constexpr std::size_t most_told = 3;
    for (std::size_t i = 0; i < std::min(most_told, slips.size()); ++i)
      verdict.complaints.push_back(fmt::format(
          "{} {} {} at {:.4f} s, at {:.0f} steps/s (a slip of {} full steps)", std::abs(slips[i].microsteps),
          step_words(), slips[i].microsteps > 0 ? "lost" : "too many", seconds(slips[i].at),
          slips[i].step_rate, steps(slips[i].microsteps)));
    if (slips.size() > most_told) verdict.complaints.emplace_back("... and so on");
    if (!slips.empty() || lost != 0)
      verdict.complaints.push_back(fmt::format(
          "in all the rotor stands {} {} {} of its steps. Look at limits.acceleration, limits.speed "
          "and limits.start_speed, or give the oscillation after a stop time to die before turning round",
          std::abs(lost), step_words(), lost >= 0 ? "short" : "ahead"));
  }

  [[nodiscard]] double seconds(Tick ticks) const { return static_cast<double>(ticks) / ticks_per_second_; }

  /// Steps that are out on the lines, backwards ones negative.
  [[nodiscard]] std::int64_t steps_out() const {
    std::int64_t steps = 0;
    for (const LineId line : mover_.stream().driver().step_lines()) steps += lines_.steps_made(line);
    return steps;
  }

  const StepperMover& mover_;
  const SimulatedLines& lines_;
  std::unique_ptr<SteppedPlant> plant_;
  double ticks_per_second_;
  bool zero_found_ = false;
  std::optional<double> began_asked_{};
  double began_made_ = 0.0;
  Way worst_{};
  double factor_ = 0.0;  // 0: no motion yet
  bool is_one_factor_ = true;
  double whole_turns_ = 0.0;  // that a ring had been turned on when its zero was found
};

}  // namespace

std::unique_ptr<Twin> stepper_twin(Mover& mover, const TwinSetup& setup) {
  return std::make_unique<StepperTwin>(*as<StepperMover>(mover), setup);
}

}  // namespace cogstride
