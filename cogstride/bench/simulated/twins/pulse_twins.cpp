// What takes a pulse width: hobby servos, and motors behind a speed controller.
#include <algorithm>
#include <cmath>

#include "cogstride/bench/simulated/twins/twins.hpp"
#include "cogstride/motion/pulse_width/pulse_width_mover.hpp"
#include "cogstride/plan/pulse_scale.hpp"
#include "cogstride/plant/hobby_servo_plant.hpp"
#include "cogstride/plant/throttled_plant.hpp"

namespace cogstride {
namespace {

/// Degrees or mm in the whole swing.
double whole_swing(const Mechanism& mechanism) {
  const OutputPosition swing = range_of(mechanism);
  return swing.base.to_double() * display_units_per_base(swing.kind);
}

/// What both have. A share of 1 is so many units of its figures.
class PulseTwin : public Twin {
 public:
  void sample(std::span<double> values) const override {
    values[0] = units_per_share_ * made();
    values[1] = its_plant().current();
    values[2] = its_plant().power();
    values[3] = its_plant().rise();
  }

  void add_to(RunTally& run, Tick now, double seconds) const override {
    const PulsePlant& plant = its_plant();
    const Mechanism& mechanism = mover_.mechanism();
    PulseTally tally;
    tally.name = mechanism.name;
    tally.unit = unit_;
    tally.swings = mechanism.swings();
    if (const auto asked = mover_.asked(now)) tally.asked = units_per_share_ * *asked;
    tally.made = units_per_share_ * made();
    tally.highest_current = plant.highest_current();
    tally.mean_current = plant.charge() / std::max(1e-9, seconds);
    tally.energy = plant.charge() * mechanism.supply.voltage.base();
    tally.rise = plant.highest_rise();
    tally.longest_stall = plant.longest_stall();
    if (plant.too_warm_at() != never)
      tally.too_warm_at = static_cast<double>(plant.too_warm_at()) / ticks_per_second_;
    const MotorHeat& heat = complete(tally);
    if (heat.highest_rise) tally.stands = heat.highest_rise->base();
    if (heat.thermal_resistance && heat.heat_capacity)
      tally.rest = heat.thermal_resistance->base() * heat.heat_capacity->base() * std::log(2.0);
    run.pulsed.push_back(std::move(tally));
  }

 protected:
  PulseTwin(const PulseWidthMover& mover, std::string unit, double units_per_share, double ticks_per_second)
      : mover_(mover),
        unit_(std::move(unit)),
        units_per_share_(units_per_share),
        ticks_per_second_(ticks_per_second) {}

  [[nodiscard]] virtual const PulsePlant& its_plant() const = 0;
  [[nodiscard]] virtual double made() const = 0;
  /// What it alone has. @return its heat, as the rig says it
  virtual const MotorHeat& complete(PulseTally& tally) const = 0;

  [[nodiscard]] const PulseWidthMover& mover() const { return mover_; }
  [[nodiscard]] const std::string& unit() const { return unit_; }
  [[nodiscard]] double units_per_share() const { return units_per_share_; }
  [[nodiscard]] double ticks_per_second() const { return ticks_per_second_; }

 private:
  const PulseWidthMover& mover_;
  std::string unit_;
  double units_per_share_;
  double ticks_per_second_;
};

class ServoTwin final : public PulseTwin {
 public:
  ServoTwin(const PulseWidthMover& mover, const TwinSetup& setup)
      : PulseTwin(mover, std::string(display_unit(output_kind(mover.mechanism().train), 0)),
                  whole_swing(mover.mechanism()), setup.plant.clock.base().to_double()),
        plant_(*setup.mechanism, setup.plant,
               setup.plant.start_position / range_of(*setup.mechanism).base.to_double()) {}

  [[nodiscard]] Plant* plant() override { return &plant_; }
  [[nodiscard]] std::vector<TracedSignal> signals() const override {
    return {{"made", unit()}, {"current", "A"}, {"power", "W"}, {"motor_rise", "K"}};
  }

 private:
  [[nodiscard]] const PulsePlant& its_plant() const override { return plant_; }
  [[nodiscard]] double made() const override { return plant_.position(); }
  const MotorHeat& complete(PulseTally& tally) const override {
    const auto& servo = std::get<HobbyServo>(mover().mechanism().motor);
    const PulseScale pulses(mover().mechanism());
    const double steepest =
        std::min(std::abs(pulses.seconds_per_share(0.0)), std::abs(pulses.seconds_per_share(1.0)));
    const double count = static_cast<double>(mover().driver().grain()) / ticks_per_second();
    tally.spare = units_per_share() * (servo.dead_band.base() + count) / steepest;
    return servo.heat;
  }

  HobbyServoPlant plant_;
};

class ThrottleTwin final : public PulseTwin {
 public:
  ThrottleTwin(const PulseWidthMover& mover, const TwinSetup& setup)
      : PulseTwin(mover, "%", 100.0, setup.plant.clock.base().to_double()),
        plant_(*setup.mechanism, setup.plant) {}

  [[nodiscard]] Plant* plant() override { return &plant_; }
  [[nodiscard]] std::vector<TracedSignal> signals() const override {
    return {{"speed", unit()}, {"current", "A"}, {"power", "W"}, {"motor_rise", "K"}};
  }

 private:
  [[nodiscard]] const PulsePlant& its_plant() const override { return plant_; }
  [[nodiscard]] double made() const override { return plant_.speed(); }
  const MotorHeat& complete(PulseTally& tally) const override {
    tally.too_soon = plant_.too_soon();
    return std::get<ThrottledMotor>(mover().mechanism().motor).heat;
  }

  ThrottledPlant plant_;
};

}  // namespace

std::unique_ptr<Twin> servo_twin(Mover& mover, const TwinSetup& setup) {
  return std::make_unique<ServoTwin>(static_cast<const PulseWidthMover&>(mover), setup);
}

std::unique_ptr<Twin> throttle_twin(Mover& mover, const TwinSetup& setup) {
  return std::make_unique<ThrottleTwin>(static_cast<const PulseWidthMover&>(mover), setup);
}

}  // namespace cogstride
