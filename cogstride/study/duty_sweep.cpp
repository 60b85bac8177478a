#include "cogstride/study/duty_sweep.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <mutex>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/mechanism/mechanism.hpp"
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

/// In the sweep's unit; 0 where it stands, or creeps.
double speed_of(const Mechanism& mechanism, double base_per_s) {
  const RotaryMotorModel model = model_of(mechanism);
  const double rad_per_s = 2.0 * pi * base_per_s * motor_turns_per_base(mechanism.train).to_double();
  if (rad_per_s < crawl * model.supply / model.emf) return 0.0;
  return base_per_s * (output_kind(mechanism.train) == OutputKind::rotary ? 60.0 : 1000.0);
}

/// s: of its speed, when the duty changes.
double time_constant(const RotaryMotorModel& model) {
  return std::clamp(model.inertia * model.resistance / (model.torque_per_ampere * model.emf), 0.02, 2.0);
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
  return {duty, speed_of(mechanism, (plant.position() - place) / lasted), (plant.charge() - charge) / lasted,
          (plant.heat() - heat) / lasted};
}

void go_through(const Rig& rig, DutyCurve& curve) {
  const std::string& name = rig.mechanisms.front().name;
  const double constant = time_constant(model_of(rig.mechanisms.front()));
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
  const double constant = time_constant(model);
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

namespace {

constexpr double counts_by = 0.4;  // of duty: an encoder that has counted nothing by then does not count

/// The mechanism alone, as it may be driven; its lowest duty is what is looked for.
Rig for_live_sweep(const Rig& rig, const Mechanism& mechanism) {
  if (!mechanism.is_driven_by_duty())
    throw RangeError(fmt::format("{}: a {} on a {} is not driven by duty", mechanism.name,
                                 kind_name(mechanism.motor), kind_name(mechanism.board)));
  if (sensor_of<Encoder>(mechanism) == nullptr)
    throw RangeError(
        fmt::format("{}: has no encoder, so nothing tells how fast it turns on live lines", mechanism.name));
  if (mechanism.limits.travel_from || mechanism.hard_ends)
    throw RangeError(
        fmt::format("{}: its travel has ends, and a sweep turns it on and on: unhitch it, and take "
                    "limits.travel and hard_ends out of the rig for so long",
                    mechanism.name));
  Rig alone = only_with(rig, {mechanism.name});
  alone.mechanisms.front().limits.lowest_duty.reset();
  return alone;
}

std::vector<double> live_duties(const Mechanism& mechanism) {
  std::vector<double> all = duties();
  const double highest =
      mechanism.limits.highest_duty ? mechanism.limits.highest_duty->base().to_double() : 1.0;
  std::erase_if(all, [&](double duty) { return duty > highest + 1e-9; });
  if (all.back() < highest - 1e-9) all.push_back(highest);
  return all;
}

/// Turns a motor through duty on live lines, and reads what it does.
class LiveDuties {
 public:
  LiveDuties(LiveBench& bench, const LiveDutySweep& how)
      : bench_(bench), how_(how), drive_(bench.brushed(parts().name)) {
    const double constant = time_constant(model_of(parts()));
    settles_ = how.settles.value_or(Time(std::max(0.2, 4.0 * constant), units::s));
    looks_ = how.looks.value_or(Time(std::max(0.1, constant), units::s));
  }

  DutyPoint at(double duty) {
    drive_.spin({.duty = Fraction::from_base(duty)}).wait();
    serve(settles_);
    const std::int64_t before = drive_.measured().count;
    const Time from = bench_.now();
    double current = 0.0;
    constexpr int current_looks = 20;
    for (int i = 0; i < current_looks; ++i) {
      serve(Time(looks_.in(units::s) / current_looks, units::s));
      if (has_shunt_) current += std::abs(drive_.measured_current().in(units::A)) / current_looks;
    }
    const double lasted = (bench_.now() - from).in(units::s);
    const double per_s = static_cast<double>(drive_.measured().count - before) / counts_per_base_ / lasted;
    refuse_encoder(duty, per_s);
    constexpr double not_known = std::numeric_limits<double>::quiet_NaN();
    DutyPoint point{duty, speed_of(parts(), per_s), has_shunt_ ? current : not_known, not_known};
    if (how_.on_point) how_.on_point(point);
    return point;
  }

 private:
  [[nodiscard]] const Mechanism& parts() const { return bench_.rig().mechanisms.front(); }
  /// A fault ends it: what is read afterwards would say nothing.
  void serve(Time time) {
    bench_.serve(time);
    if (const std::string obstacle = bench_.status(parts().name).obstacle; !obstacle.empty())
      throw MotionFault(obstacle, FaultCode::failed);
  }
  void refuse_encoder(double duty, double per_s) const {
    const double crawls = crawl * model_of(parts()).supply / model_of(parts()).emf / (2.0 * pi) /
                          std::abs(motor_turns_per_base(parts().train).to_double());
    if (per_s < -crawls)
      throw MotionFault(fmt::format("{}: its encoder counts backwards when it is driven forwards: change its "
                                    "lines A and B over, or say "
                                    "counts_backwards in the rig",
                                    parts().name),
                        FaultCode::failed);
    if (duty >= counts_by && drive_.measured().count == 0)
      throw MotionFault(
          fmt::format("{}: nothing was counted up to {:.0f} % duty: see that its supply is on, that it is "
                      "free to turn, and its encoder's lines",
                      parts().name, 100.0 * duty),
          FaultCode::failed);
  }

  LiveBench& bench_;
  const LiveDutySweep& how_;
  BrushedHandle drive_;
  double counts_per_base_ = counts_per_base(parts(), *sensor_of<Encoder>(parts())).to_double();
  bool has_shunt_ = sensor_of<Shunt>(parts()) != nullptr;
  Time settles_{};
  Time looks_{};
};

}  // namespace

DutySweep sweep_duty_live(const Rig& rig, const Mechanism& mechanism, LiveDutySweep how) {
  const Rig alone = for_live_sweep(rig, mechanism);
  const auto& wiring = std::get<BridgeWiring>(mechanism.wiring);
  DutySweep sweep;
  sweep.mechanism = mechanism.name;
  sweep.guesses = mechanism.guesses;
  sweep.is_live = true;
  sweep.unit = output_kind(mechanism.train) == OutputKind::rotary ? "rpm" : "mm/s";
  DutyCurve& curve = sweep.curves.emplace_back();
  curve.way = fmt::format("{} decay at {}", wiring.decay == Decay::slow ? "slow" : "fast",
                          frequency_words(wiring.pwm_frequency));
  curve.is_the_rigs = true;
  curve.predicted_start = start_duty(model_of(mechanism));
  LiveBench bench(alone, how.bench);
  bench.leave_encoders_unchecked();  // it stands, and is driven, on purpose
  if (sensor_of<Encoder>(bench.rig().mechanisms.front()) == nullptr)
    throw RangeError(
        fmt::format("{}: its encoder is not read here: its lines are on no GPIO chip of the rig, and no "
                    "counter counts it",
                    mechanism.name));
  const std::shared_ptr<void> attends = how.opened ? how.opened(bench) : nullptr;
  LiveDuties live(bench, how);
  const std::vector<double> all = live_duties(mechanism);
  for (const double duty : all) curve.up.push_back(live.at(duty));
  for (auto duty = all.rbegin(); duty != all.rend(); ++duty) curve.down.push_back(live.at(*duty));
  bench.close();
  sweep.compared_speed = 0.5 * curve.up.back().speed;
  return sweep;
}

double live_duty_sweep_seconds(const Rig& rig, const Mechanism& mechanism) {
  const double constant = time_constant(model_of(for_live_sweep(rig, mechanism).mechanisms.front()));
  return 2.0 * static_cast<double>(live_duties(mechanism).size()) *
         (std::max(0.2, 4.0 * constant) + std::max(0.1, constant));
}

}  // namespace cogstride
