// Steppers, and servos that take steps.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <string>

#include "cogstride/bench/simulated/twins/stepper_causes.hpp"
#include "cogstride/bench/simulated/twins/stepper_watch.hpp"
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
        ticks_per_second_(setup.plant.clock.base().to_double()),
        watch_(mover.mechanism(), ticks_per_second_) {}

  [[nodiscard]] Plant* plant() override { return plant_.get(); }
  [[nodiscard]] ShaftPlant* shaft() override { return plant_.get(); }

  [[nodiscard]] std::vector<TracedSignal> signals() const override {
    const OutputKind kind = output_kind(mover_.mechanism().train);
    return {{"made", std::string(display_unit(kind, 0))},
            {"speed", std::string(display_unit(kind, 1))},
            {"phase_a", "A"},
            {"phase_b", "A"},
            {"supply", "V"}};
  }

  void sample(std::span<double> values) const override {
    const double scale = display_units_per_base(output_kind(mover_.mechanism().train));
    values[0] = scale * (plant_->position() - whole_turns_);
    values[1] = scale * plant_->speed();
    values[2] = plant_->current_a();
    values[3] = plant_->current_b();
    values[4] = plant_->fed();
  }

  [[nodiscard]] bool wants_looks() const override { return true; }
  void look() override {
    const Tick now = lines_.now();
    StepperWatch::Look look;
    look.now = now;
    look.step = mover_.standing_step(now);
    look.shaft_turns = plant_->shaft_turns();
    look.place = plant_->position() - whole_turns_;
    look.speed = plant_->speed();
    look.current_a = plant_->current_a();
    look.current_b = plant_->current_b();
    look.fed = plant_->fed();
    look.is_under_way = !mover_.has_ended();
    look.has_slipped = !plant_->slips().empty();
    watch_.look(look, [this](std::int64_t line) { return lines_.level(static_cast<LineId>(line)); });
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
    verdict.rows.insert(
        verdict.rows.begin(),
        {{is_switched() ? "steps" : "pulses",
          fmt::format("{} put out, {} missed", counts.pulses,
                      missed == 0 ? std::string("none") : std::to_string(missed))},
         {"steps lost", !counts_losses            ? "not counted: its zero was not found"
                        : plant_->slips().empty() ? "none"
                                                  : fmt::format("{} {}", std::abs(lost), step_words())}});
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
    StepperEvidence seen = watch_.seen();
    seen.board = counts;
    for (const SteppedPlant::Slip& slip : plant_->slips()) {
      ++(slip.microsteps > 0 ? seen.lost : seen.gained);
      seen.highest_step_rate = std::max(seen.highest_step_rate, slip.step_rate);
      if (seen.slowest_step_rate == 0.0 || slip.step_rate < seen.slowest_step_rate)
        seen.slowest_step_rate = slip.step_rate;
    }
    complain_of_pulses(verdict, seen);
    if (counts_losses) {
      complain_of_losses(verdict, lost);
    } else {
      verdict.not_looked_at.push_back("steps lost: its zero was not found");
    }
    bool is_off = is_faulted() || (counts_losses && !plant_->slips().empty());
    if (asked)
      is_off = complain_of_place(verdict, seen, scale * asked->base.to_double(), made, scale, unit) || is_off;
    else
      verdict.not_looked_at.push_back("where it stands: nobody knows where it was to stand");
    complain_of_switches(verdict, seen);
    if (mechanism.is_movable_stepper() && is_known(mechanism.stepper().heat))
      verdict.not_looked_at.push_back(
          "its heat: that is not simulated (`inspect` tells what standing still makes)");
    seen.was_off = is_off;
    if (wants_causes(verdict, is_faulted())) verdict.causes = causes_of(seen, mechanism);
  }

 private:
  /// Where it was to stand after a motion, and how far off it stood. m or turns.
  struct Stand {
    Tick at = 0;
    double asked = 0.0;
    double off = 0.0;
  };

  void hold_motion_against(const MotionNote& note) {
    const auto asked = mover_.position(note.at);
    if (!asked || note.kind != MotionNote::Kind::done) return;
    const Stand stand{note.at, asked->base.to_double(),
                      plant_->position() - whole_turns_ - asked->base.to_double()};
    if (std::abs(stand.off) > std::abs(worst_.off)) worst_ = stand;
  }

  /// Where it stood after each motion and at the end, in its unit. @return whether that is off
  bool complain_of_place(MoverVerdict& verdict, const StepperEvidence& seen, double asked, double made,
                         double scale, const std::string& unit) const {
    verdict.looked_at.push_back("where it stands against where its steps lead");
    verdict.looked_at.push_back("where it stood after each motion against where its steps led");
    const double worst = scale * worst_.off;
    verdict.add("worst_off", worst, unit);
    const double off = std::abs(asked - made);
    // But for what friction and load hold a rotor off its field.
    if (std::abs(worst_.off) > 2.0 * watch_.full_step()) {
      verdict.complaints.insert(
          verdict.complaints.begin(),
          fmt::format("at {:.3f} s it was to stand at {:.4g} {}, and it stood {:.4g} {} away{}",
                      seconds(worst_.at), scale * worst_.asked, unit, std::abs(worst), unit,
                      way_words(seen)));
      return true;
    }
    if (off <= scale * watch_.full_step()) return false;
    verdict.complaints.push_back(fmt::format("it stands {:.4g} {} from where its steps lead", off, unit));
    return true;
  }

  /// How what it made differs from what was asked, where that is one thing.
  [[nodiscard]] static std::string way_words(const StepperEvidence& seen) {
    if (seen.asked_swing > 8.0 && seen.made_swing < 0.02 * seen.asked_swing) return ": it did not move";
    if (!seen.factor) return "";
    std::string words = *seen.factor < 0.0 ? ": it went the other way" : "";
    if (std::abs(*seen.factor) != 1.0)
      words += fmt::format("{} {:.4g} times as far", words.empty() ? ": it went" : ", and",
                           std::abs(*seen.factor));
    return words;
  }

  [[nodiscard]] bool is_two_pulse() const {
    const auto* const board = std::get_if<StepDirBoard>(&mover_.mechanism().board);
    return board != nullptr && board->form == StepDirBoard::Form::two_pulse;
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

  static void complain_of_switches(MoverVerdict& verdict, const StepperEvidence& seen) {
    if (!seen.bounced) return;
    verdict.complaints.push_back(fmt::format(
        "the contact of {} bounced for {} or more, and its debounce waits for {}", seen.bounced->name,
        seconds_text(seen.bounced->lasted), seconds_text(seen.bounced->waited)));
  }

  void complain_of_pulses(MoverVerdict& verdict, const StepperEvidence& seen) const {
    const StepDirReceiver::Counts& counts = seen.board;
    verdict.looked_at.push_back("its pulses against what its board takes");
    const auto complain = [&](std::string words) { verdict.complaints.push_back(std::move(words)); };
    if (counts.pulses == 0 && seen.put_out > 0 && !is_switched())
      complain("nothing moved: none of its pulses came to its board");
    else if (counts.missed_off > 0 && counts.missed_off == counts.pulses)
      complain("nothing moved: its board was off whenever a pulse came");
    else if (counts.missed_off > 0)
      complain(fmt::format("{} of {} pulses came while its board was off", counts.missed_off, counts.pulses));
    if (counts.missed_waking > 0)
      complain(fmt::format("{} pulses came before the board was awake", counts.missed_waking));
    if (counts.missed_short > 0)
      complain(
          fmt::format("{} of {} pulses were missed: STEP stayed at one level for as little as {}, and that "
                      "is too short for it",
                      counts.missed_short, counts.pulses, seconds_text(seconds(counts.shortest))));
    if (counts.wrong_direction > 0)
      complain(fmt::format("{} steps went the wrong way: {} too near to a step", counts.wrong_direction,
                           is_two_pulse() ? "the other pulse line changed" : "DIR changed"));
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
      verdict.complaints.push_back(fmt::format("in all the rotor stands {} {} {} of its steps",
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
  StepperWatch watch_;
  bool zero_found_ = false;
  Stand worst_{};
  double whole_turns_ = 0.0;  // that a ring had been turned on when its zero was found
};

}  // namespace

std::unique_ptr<Twin> stepper_twin(Mover& mover, const TwinSetup& setup) {
  return std::make_unique<StepperTwin>(*as<StepperMover>(mover), setup);
}

}  // namespace cogstride
