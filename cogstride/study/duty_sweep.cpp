#include "cogstride/study/duty_sweep.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <mutex>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/plan/timer_choice.hpp"
#include "cogstride/plant/brushed_plant.hpp"
#include "cogstride/plant/brushless_plant.hpp"
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

/// Of a bare brushless motor, whose duty its controller sets: held at speeds from slow to the fastest that it
/// can, and the duty that each takes.
void hold_speeds(const Rig& rig, DutyCurve& curve) {
  const Mechanism& mechanism = rig.mechanisms.front();
  const RotaryMotorModel model = model_of(mechanism);
  constexpr int speeds = 8;
  const OutputSpeed& top = mechanism.limits.speed;
  const double constant =
      std::clamp(model.inertia * model.resistance / (model.torque_per_ampere * model.emf), 0.02, 2.0);
  SimulatedBench bench(rig);
  auto spindle = bench.brushless(mechanism.name);
  const BrushlessPlant& plant = bench.brushless_plant(mechanism.name);
  for (int i = 1; i <= speeds; ++i) {
    const OutputSpeed speed(top.kind, top.base * Ratio(i, speeds));
    if (torque_left(model, shaft_speed(mechanism, speed.base.to_double())) <= 0.0) break;
    try {
      spindle.spin({.at = speed});
    } catch (const RangeError&) {
      continue;  // so slow that its sensors cannot tell it
    }
    bench.serve(Time(0.3 + 4.0 * constant, units::s));
    const double place = plant.position();
    const double charge = plant.charge();
    const double heat = plant.heat();
    const double from = bench.now().in(units::s);
    double duty = 0.0;
    constexpr int looks = 100;
    for (int look = 0; look < looks; ++look) {
      bench.serve(Time(0.2 / looks, units::s));
      duty += spindle.duty().base() / looks;
    }
    const double lasted = bench.now().in(units::s)-from;
    curve.up.push_back({duty, 60.0 * (plant.position() - place) / lasted, (plant.charge() - charge) / lasted,
                        (plant.heat() - heat) / lasted});
  }
}

}  // namespace

namespace {

struct Switched {
  Rig rig;
  DutyCurve curve;
};

std::string frequency_words(ExactFrequency frequency) {
  const double hertz = frequency.base().to_double();
  return hertz < 1000.0 ? fmt::format("{:.4g} Hz", hertz) : fmt::format("{:.4g} kHz", hertz / 1e3);
}
std::string alignment_words(Alignment alignment) {
  return alignment == Alignment::edge ? "edge-aligned" : "centre-aligned";
}

/// Slow and fast decay, at the rig's frequency, a tenth and a hundredth of it; and the other alignment.
std::vector<Switched> ways_of_a_bridge(const Rig& free, const Mechanism& mechanism) {
  const auto& wiring = std::get<BridgeWiring>(mechanism.wiring);
  const bool can_coast =
      wiring.enable || std::get<HBridge>(mechanism.board).form == HBridge::Form::four_channel;
  const Alignment other = wiring.alignment == Alignment::edge ? Alignment::centre : Alignment::edge;
  std::vector<Switched> ways;
  const auto add = [&](Decay decay, Ratio divided, Alignment alignment) {
    if (decay == Decay::fast && !can_coast) return;
    Switched way{free, {}};
    auto& lines = std::get<BridgeWiring>(way.rig.mechanisms.front().wiring);
    lines.decay = decay;
    lines.alignment = alignment;
    lines.pwm_frequency = ExactFrequency::from_base(wiring.pwm_frequency.base() / divided);
    way.curve.way = fmt::format("{} decay at {}{}", decay == Decay::slow ? "slow" : "fast",
                                frequency_words(lines.pwm_frequency),
                                alignment == other ? ", " + alignment_words(other) : "");
    way.curve.is_the_rigs = decay == wiring.decay && divided == Ratio(1) && alignment != other;
    ways.push_back(std::move(way));
  };
  for (const Ratio divided : {Ratio(1), Ratio(10), Ratio(100)})
    for (const Decay decay : {Decay::slow, Decay::fast}) add(decay, divided, wiring.alignment);
  add(wiring.decay, 1, other);
  return ways;
}

/// Both gates of the leg that is switched in turn, or one of them and a diode: the high one, the low one, or
/// both that carry; centre- and edge-aligned.
std::vector<Switched> ways_of_six_gates(const Rig& free, const Mechanism& mechanism) {
  const auto& wiring = std::get<GateWiring>(mechanism.wiring);
  struct Side {
    bool complementary;
    SwitchedSide side;
    const char* words;
  };
  constexpr Side switchings[] = {{true, SwitchedSide::high, "complementary"},
                                 {false, SwitchedSide::high, "single, high side"},
                                 {false, SwitchedSide::low, "single, low side"},
                                 {false, SwitchedSide::both, "single, both sides"}};
  std::vector<Switched> ways;
  for (const Side& one : switchings) {
    for (const Alignment alignment : {Alignment::centre, Alignment::edge}) {
      Switched way{free, {}};
      auto& lines = std::get<GateWiring>(way.rig.mechanisms.front().wiring);
      lines.complementary = one.complementary;
      lines.switched = one.side;
      lines.alignment = alignment;
      way.curve.way = fmt::format("{}, {}", one.words, alignment_words(alignment));
      way.curve.is_the_rigs = one.complementary == wiring.complementary &&
                              (one.complementary || one.side == wiring.switched) &&
                              alignment == wiring.alignment;
      ways.push_back(std::move(way));
    }
  }
  return ways;
}

}  // namespace

DutySweep sweep_duty(const Rig& rig, const Mechanism& mechanism,
                     const std::function<void(const DutyCurve&)>& on_curve) {
  const bool has_halls = mechanism.has_six_gates() && sensor_of<HallSet>(mechanism) != nullptr;
  if (!mechanism.is_driven_by_duty() && !has_halls)
    throw RangeError(
        mechanism.has_six_gates()
            ? fmt::format(
                  "{}: its duty is set so that a speed is held, which takes Hall sensors; it has none",
                  mechanism.name)
            : fmt::format("{}: a {} on a {} is not driven by duty", mechanism.name,
                          kind_name(mechanism.motor), kind_name(mechanism.board)));
  DutySweep sweep;
  sweep.mechanism = mechanism.name;
  sweep.guesses = mechanism.guesses;
  sweep.is_by_speeds = has_halls;
  sweep.unit = output_kind(mechanism.train) == OutputKind::rotary ? "rpm" : "mm/s";
  std::vector<Switched> ways = has_halls ? ways_of_six_gates(only_with(rig, {mechanism.name}), mechanism)
                                         : ways_of_a_bridge(free_to_turn(rig, mechanism), mechanism);
  for (Switched& way : ways) {
    Mechanism& it = way.rig.mechanisms.front();
    if (!has_halls) it.common.timer.reset();  // whatever the rig's own could not make
    way.curve.predicted_start = start_duty(model_of(it));
    sweep.curves.push_back(std::move(way.curve));
  }
  std::mutex one_at_a_time;
  side_by_side(ways.size(), [&](std::size_t i) {
    if (has_halls) {
      hold_speeds(ways[i].rig, sweep.curves[i]);
    } else {
      go_through(ways[i].rig, sweep.curves[i]);
    }
    const std::lock_guard lock(one_at_a_time);
    if (on_curve) on_curve(sweep.curves[i]);
  });
  for (const DutyCurve& curve : sweep.curves)
    if (curve.is_the_rigs && !curve.up.empty()) sweep.compared_speed = 0.5 * curve.up.back().speed;
  return sweep;
}

}  // namespace cogstride
