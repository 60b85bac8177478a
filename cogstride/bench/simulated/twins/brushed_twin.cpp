// Brushed motors behind an H-bridge.
#include <algorithm>

#include "cogstride/bench/simulated/twins/twins.hpp"
#include "cogstride/motion/brushed/duty_mover.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/plant/brushed_plant.hpp"

namespace cogstride {
namespace {

ShaftPlant::Setup setup_of(const TwinSetup& setup) {
  return setup.is_averaged ? setup.plant.with_steps_of(BrushedPlant::longest_averaged_step) : setup.plant;
}

class BrushedTwin final : public Twin {
 public:
  BrushedTwin(const DutyMover& mover, const TwinSetup& setup)
      : mover_(mover), plant_(*setup.mechanism, setup_of(setup)) {}

  [[nodiscard]] Plant* plant() override { return &plant_; }
  [[nodiscard]] ShaftPlant* shaft() override { return &plant_; }

  [[nodiscard]] std::vector<TracedSignal> signals() const override {
    const OutputKind kind = output_kind(mover_.mechanism().train);
    return {{"made", std::string(display_unit(kind, 0))},
            {"speed", std::string(speed_unit(kind))},
            {"current", "A"},
            {"supply", "V"},
            {"motor_rise", "K"}};
  }

  void sample(std::span<double> values) const override {
    const OutputKind kind = output_kind(mover_.mechanism().train);
    values[0] = display_units_per_base(kind) * plant_.position();
    values[1] = speed_units_per_base(kind) * plant_.speed();
    values[2] = plant_.current();
    values[3] = plant_.supply_voltage();
    values[4] = plant_.motor_rise();
  }

  void add_to(RunTally& run, Tick now, double seconds) const override {
    const Mechanism& mechanism = mover_.mechanism();
    const OutputKind kind = output_kind(mechanism.train);
    BrushedTally tally;
    tally.name = mechanism.name;
    tally.unit = display_unit(kind, 0);
    tally.speed_unit = speed_unit(kind);
    tally.made = display_units_per_base(kind) * plant_.position();
    tally.speed = speed_units_per_base(kind) * plant_.speed();
    tally.duty = mover_.duty(now);
    tally.highest_current = plant_.highest_current();
    tally.mean_current = plant_.charge() / std::max(1e-9, seconds);
    tally.sustained_current = plant_.sustained_current();
    tally.driven_still = plant_.driven_still();
    tally.still_current = plant_.still_current();
    tally.start_duty = start_duty(model_of(mechanism));
    tally.highest_supply = plant_.highest_supply();
    tally.motor_rise = plant_.highest_motor_rise();
    tally.board_rise = plant_.highest_board_rise();
    tally.times_limited = plant_.times_limited();
    if (mechanism.limits.current) tally.current_limit = mechanism.limits.current->base();
    if (const auto rise = std::get<BrushedMotor>(mechanism.motor).heat.highest_rise)
      tally.motor_stands = rise->base();
    if (const auto rise = stage_of(mechanism.board).highest_rise) tally.board_stands = rise->base();
    if (const auto volts = stage_of(mechanism.board).highest_supply) tally.board_volts = volts->base();
    run.drives.push_back(std::move(tally));
  }

 private:
  const DutyMover& mover_;
  BrushedPlant plant_;
};

}  // namespace

std::unique_ptr<Twin> brushed_twin(Mover& mover, const TwinSetup& setup) {
  return std::make_unique<BrushedTwin>(*as<DutyMover>(mover), setup);
}

}  // namespace cogstride
