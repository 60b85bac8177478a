// Steppers, and servos that take steps.
#include <algorithm>
#include <cmath>

#include "cogstride/bench/simulated/twins/twins.hpp"
#include "cogstride/motion/stepper/stepper_mover.hpp"
#include "cogstride/plant/step_servo_plant.hpp"
#include "cogstride/plant/stepper_plant.hpp"

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
      : mover_(mover), lines_(*setup.lines), plant_(plant_of(setup)) {}

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
    const Mechanism& mechanism = mover_.mechanism();
    const bool on_a_ring =
        !mechanism.limits.travel_from && output_kind(mechanism.train) == OutputKind::rotary;
    if (note.kind == MotionNote::Kind::homed && on_a_ring)
      whole_turns_ = std::round(plant_->position() - mechanism.homing->position.base.to_double());
  }

  void add_to(RunTally& run, Tick now, double) const override {
    const Mechanism& mechanism = mover_.mechanism();
    const StepDirReceiver::Counts& counts = plant_->counts();
    const OutputKind kind = output_kind(mechanism.train);
    const double scale = display_units_per_base(kind);
    MechanismTally tally;
    tally.name = mechanism.name;
    tally.unit = display_unit(kind, 0);
    if (const auto asked = mover_.position(now)) tally.asked = scale * asked->base.to_double();
    tally.made = scale * (plant_->position() - whole_turns_);
    tally.net_steps = steps_out(now);
    tally.pulses = counts.pulses;
    tally.missed_off = counts.missed_off;
    tally.missed_waking = counts.missed_waking;
    tally.missed_short = counts.missed_short;
    tally.wrong_direction = counts.wrong_direction;
    tally.shortest_step_level = counts.shortest;
    if (const auto* const board = std::get_if<StepDirBoard>(&mechanism.board)) {
      tally.enable_wanted = board->enable_active == ActiveLevel::low ? "low" : "high";
      tally.shortest_allowed = std::max(board->shortest_high, board->shortest_low).base();
    }
    tally.full_step = scale * static_cast<double>(plant_->microsteps_per_period()) / 4.0 /
                      std::abs(steps_per_base(mechanism).to_double());
    tally.microsteps_per_period = plant_->microsteps_per_period();
    tally.counts_losses = !mechanism.homing || zero_found_ || mover_.origin();
    if (tally.counts_losses) {
      tally.lost_microsteps = plant_->lost_microsteps();
      for (const SteppedPlant::Slip& slip : plant_->slips())
        tally.losses.push_back({slip.at, slip.step_rate, slip.microsteps});
    }
    run.mechanisms.push_back(std::move(tally));
  }

 private:
  /// Steps that are out on the lines, backwards ones negative.
  [[nodiscard]] std::int64_t steps_out(Tick now) const {
    const StepDriver& driver = mover_.stream().driver();
    const std::vector<LineId> step_lines = driver.step_lines();
    if (step_lines.empty()) return driver.row_at(now);
    std::int64_t steps = 0;
    for (const LineId line : step_lines) steps += lines_.steps_made(line);
    return steps;
  }

  const StepperMover& mover_;
  const SimulatedLines& lines_;
  std::unique_ptr<SteppedPlant> plant_;
  bool zero_found_ = false;
  double whole_turns_ = 0.0;  // that a ring had been turned on when its zero was found
};

}  // namespace

std::unique_ptr<Twin> stepper_twin(Mover& mover, const TwinSetup& setup) {
  return std::make_unique<StepperTwin>(*as<StepperMover>(mover), setup);
}

}  // namespace cogstride
