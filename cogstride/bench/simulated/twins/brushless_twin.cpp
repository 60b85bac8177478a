// Bare brushless motors behind six gates.
#include <fmt/format.h>

#include "cogstride/bench/simulated/twins/twins.hpp"
#include "cogstride/motion/brushless/six_step_mover.hpp"
#include "cogstride/plant/brushless_plant.hpp"

namespace cogstride {
namespace {

class BrushlessTwin final : public Twin {
 public:
  BrushlessTwin(const SixStepMover& mover, const TwinSetup& setup)
      : mover_(mover),
        plant_(*setup.mechanism, setup.plant),
        ticks_per_second_(setup.plant.clock.base().to_double()) {}

  [[nodiscard]] Plant* plant() override { return &plant_; }
  [[nodiscard]] ShaftPlant* shaft() override { return &plant_; }

  [[nodiscard]] std::vector<TracedSignal> signals() const override {
    const OutputKind kind = output_kind(mover_.mechanism().train);
    return {{"made", std::string(display_unit(kind, 0))},
            {"speed", std::string(speed_unit(kind))},
            {"phase_a", "A"},
            {"phase_b", "A"},
            {"phase_c", "A"},
            {"supply", "V"},
            {"motor_rise", "K"}};
  }

  void sample(std::span<double> values) const override {
    const OutputKind kind = output_kind(mover_.mechanism().train);
    values[0] = display_units_per_base(kind) * plant_.position();
    values[1] = speed_units_per_base(kind) * plant_.speed();
    for (std::size_t phase = 0; phase < 3; ++phase) values[2 + phase] = plant_.current(phase);
    values[5] = plant_.supply_voltage();
    values[6] = plant_.motor_rise();
  }

  void add_to(RunTally& run, Tick, double) const override {
    const Mechanism& mechanism = mover_.mechanism();
    const OutputKind kind = output_kind(mechanism.train);
    BrushlessTally tally;
    tally.name = mechanism.name;
    tally.speed_unit = speed_unit(kind);
    tally.speed = speed_units_per_base(kind) * plant_.speed();
    tally.highest_speed = speed_units_per_base(kind) * plant_.highest_speed();
    tally.highest_current = plant_.highest_current();
    tally.sustained_current = plant_.sustained_current();
    tally.highest_supply = plant_.highest_supply();
    tally.motor_rise = plant_.highest_motor_rise();
    if (mechanism.limits.current) tally.current_limit = mechanism.limits.current->base();
    if (const auto rise = std::get<BrushlessMotor>(mechanism.motor).heat.highest_rise)
      tally.motor_stands = rise->base();
    tally.times_empty = plant_.times_empty();
    if (plant_.destroyed_at()) {
      tally.destroyed_at = static_cast<double>(*plant_.destroyed_at()) / ticks_per_second_;
      const auto& gates = std::get<GateWiring>(mechanism.wiring).gates;
      tally.destroyed_by = fmt::format("lines {} and {}", gates[2 * plant_.destroyed_leg()].number,
                                       gates[2 * plant_.destroyed_leg() + 1].number);
    }
    run.brushless.push_back(std::move(tally));
  }

 private:
  const SixStepMover& mover_;
  BrushlessPlant plant_;
  double ticks_per_second_;
};

}  // namespace

std::unique_ptr<Twin> brushless_twin(Mover& mover, const TwinSetup& setup) {
  return std::make_unique<BrushlessTwin>(*as<SixStepMover>(mover), setup);
}

}  // namespace cogstride
