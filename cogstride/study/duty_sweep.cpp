#include "cogstride/study/duty_sweep.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <mutex>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/plan/timer_choice.hpp"
#include "cogstride/plant/brushed_plant.hpp"
#include "cogstride/study/side_by_side.hpp"

namespace cogstride {
namespace {

constexpr double fine_step = 0.01;  // of duty, where motors start
constexpr double fine_up_to = 0.4;
constexpr double coarse_step = 0.05;
constexpr double crawl = 2e-3;  // of what the supply makes of its back-EMF: so slow it stands, or creeps

std::vector<double> duties() {
  std::vector<double> all;
  for (int i = 0; fine_step * i < fine_up_to - 1e-9; ++i) all.push_back(fine_step * i);
  for (int i = 0; fine_up_to + coarse_step * i <= 1.0 + 1e-9; ++i)
    all.push_back(fine_up_to + coarse_step * i);
  return all;
}

/// The mechanism alone, with nothing that would hold a duty back.
Rig free_to_turn(const Rig& rig, const Mechanism& mechanism) {
  Rig alone = only_with(rig, {mechanism.name});
  Mechanism& it = alone.mechanisms.front();
  std::erase_if(it.sensors, [](const Sensor& sensor) { return !std::holds_alternative<Encoder>(sensor); });
  it.hard_ends.reset();
  it.limits.travel_from.reset();
  it.limits.travel_to.reset();
  it.limits.lowest_duty.reset();
  it.limits.highest_duty.reset();
  it.limits.current.reset();
  it.limits.full_ramp = Time(0.02, units::s);
  return alone;
}

DutyPoint look(SimulatedBench& bench, const std::string& name, double duty, double seconds) {
  const BrushedPlant& plant = bench.brushed_plant(name);
  bench.serve(Time(4.0 * seconds, units::s));
  const double place = plant.position();
  const double charge = plant.charge();
  const double heat = plant.heat();
  const double from = bench.now().in(units::s);
  bench.serve(Time(seconds, units::s));
  const double lasted = bench.now().in(units::s)-from;
  const Mechanism& mechanism = bench.rig().mechanisms.front();
  const double moved = plant.position() - place;
  const RotaryMotorModel model = model_of(mechanism);
  const double rad_per_s = 2.0 * pi * moved * motor_turns_per_base(mechanism.train).to_double() / lasted;
  const bool stands = rad_per_s < crawl * model.supply / model.emf;
  const double a_unit = output_kind(mechanism.train) == OutputKind::rotary ? 60.0 : 1000.0;
  return {duty, stands ? 0.0 : a_unit * moved / lasted, (plant.charge() - charge) / lasted,
          (plant.heat() - heat) / lasted};
}

void go_through(const Rig& rig, DutyCurve& curve) {
  const std::string& name = rig.mechanisms.front().name;
  const RotaryMotorModel model = model_of(rig.mechanisms.front());
  const double constant =
      std::clamp(model.inertia * model.resistance / (model.torque_per_ampere * model.emf), 0.02, 2.0);
  SimulatedBench bench(rig);
  bench.leave_encoders_unchecked();  // shafts that stand are driven on purpose
  auto drive = bench.brushed(name);
  const std::vector<double> all = duties();
  const auto go = [&](double duty) {
    drive.spin({.duty = Fraction::from_base(duty)}).wait();
    return look(bench, name, duty, constant);
  };
  for (const double duty : all) curve.up.push_back(go(duty));
  for (auto duty = all.rbegin(); duty != all.rend(); ++duty) curve.down.push_back(go(*duty));
}

}  // namespace

DutySweep sweep_duty(const Rig& rig, const Mechanism& mechanism,
                     const std::function<void(const DutyCurve&)>& on_curve) {
  if (!mechanism.is_driven_by_duty())
    throw RangeError(fmt::format("{}: a {} on a {} is not driven by duty", mechanism.name,
                                 kind_name(mechanism.motor), kind_name(mechanism.board)));
  const Rig free = free_to_turn(rig, mechanism);
  const auto& wiring = std::get<BridgeWiring>(mechanism.wiring);
  const bool can_coast =
      wiring.enable || std::get<HBridge>(mechanism.board).form == HBridge::Form::four_channel;
  DutySweep sweep;
  sweep.mechanism = mechanism.name;
  sweep.guesses = mechanism.guesses;
  sweep.unit = output_kind(mechanism.train) == OutputKind::rotary ? "rpm" : "mm/s";
  std::vector<Rig> rigs;
  for (const Ratio divided : {Ratio(1), Ratio(10), Ratio(100)}) {
    for (const Decay how : {Decay::slow, Decay::fast}) {
      if (how == Decay::fast && !can_coast) continue;
      Rig one = free;
      auto& lines = std::get<BridgeWiring>(one.mechanisms.front().wiring);
      lines.decay = how;
      lines.pwm_frequency = ExactFrequency::from_base(wiring.pwm_frequency.base() / divided);
      one.mechanisms.front().common.timer.reset();  // whatever the rig's own could not make
      const double hertz = lines.pwm_frequency.base().to_double();
      DutyCurve curve;
      curve.way = fmt::format(
          "{} decay at {}", how == Decay::slow ? "slow" : "fast",
          hertz < 1000.0 ? fmt::format("{:.4g} Hz", hertz) : fmt::format("{:.4g} kHz", hertz / 1e3));
      curve.predicted_start = start_duty(model_of(one.mechanisms.front()));
      curve.is_the_rigs = how == wiring.decay && divided == Ratio(1);
      rigs.push_back(std::move(one));
      sweep.curves.push_back(std::move(curve));
    }
  }
  std::mutex one_at_a_time;
  side_by_side(rigs.size(), [&](std::size_t i) {
    go_through(rigs[i], sweep.curves[i]);
    const std::lock_guard lock(one_at_a_time);
    if (on_curve) on_curve(sweep.curves[i]);
  });
  for (const DutyCurve& curve : sweep.curves)
    if (curve.is_the_rigs) sweep.compared_speed = 0.5 * curve.up.back().speed;
  return sweep;
}

}  // namespace cogstride
