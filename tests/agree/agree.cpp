// Rigs of chance, predicted and then rehearsed: does what is told happen?
//
//   agree N SEED    N rigs; exit status 1 when they agree less than is promised
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <mutex>
#include <string>
#include <vector>

#include "agree/random_rigs.hpp"
#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plan/gearing.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/plan/rotor_lag.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/plant/brushed_plant.hpp"
#include "cogstride/plant/brushless_plant.hpp"
#include "cogstride/plant/stepped_plant.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/study/move_trial.hpp"
#include "cogstride/study/side_by_side.hpp"
#include "cogstride/study/trial_run.hpp"

namespace cogstride::agree {
namespace {

constexpr double much_to_spare = 0.2;
constexpr double limit_apart = 1.25;  // the bench's limit lies between that told and so much of it
constexpr double least_share_held = 0.995;
constexpr double least_share_near = 0.8;
constexpr double of_figures = 0.03;
constexpr double of_start = 0.02;

/// What came of one rig.
struct Case {
  std::string what{};  ///< the rig in a line
  bool is_stepper = false;
  double told = 0.0;   ///< margin of a stepper's move
  bool held = true;    ///< it lost nothing from any phase
  double limit = 0.0;  ///< what the bench bears of what is told to be borne; 0: not measured
  std::vector<std::pair<const char*, double>> off{};  ///< shares by which figures differ
  std::vector<std::string> beyond{};  ///< of a follower: what is more than told, in steps; "" where it is not
  std::vector<std::string> misjudged{};  ///< of runs: "" where the verdict says what happened
  std::string failed{};                  ///< it could not be tried, and why

  void within(const char* what, double is, double told) {
    beyond.push_back(is <= told ? std::string()
                                : fmt::format("{:.2f} steps {}, told {:.2f}", is, what, told));
  }
};

/// Holds the verdict of a run against what happened.
void judge(Case& found, const SimulatedBench& bench, const std::string& mechanism, bool was_good) {
  const MoverVerdict verdict = bench.verdict().of(mechanism);
  std::string wrong;
  if (verdict.is_sound() != was_good)
    wrong = was_good ? "nothing went wrong, and it says: " + verdict.complaints.front()
                     : std::string("it lost steps, and all is as asked");
  found.misjudged.push_back(std::move(wrong));
}

std::string words(const Rig& rig) {
  const Mechanism& mechanism = rig.mechanisms[0];
  return fmt::format("{} on {}, {:.1f} V, {}", kind_name(mechanism.motor), kind_name(mechanism.board),
                     mechanism.supply.voltage.base(), to_text(mechanism.limits.speed));
}

// Steppers: moves from phases that try_move() does not try.

/// @param found  where its verdict is judged; null: not
bool makes(Case* found, const Rig& rig, const Mechanism& mechanism, OutputPosition by, double phase) {
  Rig freed = set_free(rig, mechanism);
  Mechanism& alone = freed.mechanisms[0];
  SimulatedBench bench(freed, {.seed = static_cast<std::uint64_t>(1000.0 * phase)});
  StepperHandle stepper = bench.stepper(alone.name);
  stepper.hold();
  const SteppedPlant& plant = bench.plant(alone.name);
  const auto away =
      static_cast<std::int64_t>(phase * static_cast<double>(plant.microsteps_per_period()) / 4.0);
  const auto steps = [&](std::int64_t count) {
    return OutputPosition{by.kind, Ratio(count) / steps_per_base(alone)};
  };
  if (away != 0) stepper.move({.by = steps(away)}).wait();
  const Time rest(8.0 / natural_frequency(alone), units::s);
  bench.serve(rest);
  const std::int64_t before = plant.lost_microsteps();
  const std::size_t slips = plant.slips().size();
  const Motion motion = stepper.move({.by = by});
  while (!motion.has_ended() && plant.slips().size() == slips) bench.serve(rest);
  bench.serve(rest);
  const bool stands = plant.lost_microsteps() == before;
  const bool slipped = plant.slips().size() != slips;
  if (found != nullptr && (!stands || !slipped)) judge(*found, bench, alone.name, stands);
  return stands && !slipped;
}

Case of_stepper(Dice& dice) {
  const Rig rig = random_stepper(dice);
  const Mechanism& mechanism = rig.mechanisms[0];
  Case found;
  found.what = words(rig);
  found.is_stepper = true;
  const OutputKind kind = output_kind(mechanism.train);
  const RampLimits limits = own_limits(mechanism);
  const double ramp = way_to_rest(limits, limits.speed);
  // Some way at top speed, or none where it is never reached.
  const double steps = ramp * 2.0 * dice.even(0.6, 1.2) + limits.speed * dice.by_ratio(0.01, 0.3);
  const auto way = static_cast<std::int64_t>(steps) + 1;
  MoveOrder order;
  order.by = OutputPosition{kind, Ratio(dice.by_chance(0.5) ? way : -way) / steps_per_base(mechanism)};
  const MovePlan plan = plan_move(mechanism, rig.controller, {kind, 0}, order);
  const MoveTrial trial = try_move(rig, mechanism, plan, torque_margin(mechanism, plan.ramp));
  found.told = trial.margin;
  std::vector<double> phases;
  for (int i = 0; i < trial_phases; ++i) phases.push_back(dice.even(0.0, 2.0));
  const auto all_hold = [&](double share) {
    const Mechanism tried = with_torque_share(mechanism, share);
    return std::all_of(phases.begin(), phases.end(), [&](double phase) {
      return makes(share == 1.0 ? &found : nullptr, rig, tried, *order.by, phase);
    });
  };
  found.held = all_hold(1.0);
  if (!found.held || trial.margin < 0.0 || trial.is_more) return found;
  // From all of its torque downwards to the first share that is not enough, as by trial_speed_band.
  double held = 1.0;
  double lost = 0.0;
  for (double share = 0.9; share > 0.02 && lost == 0.0; share *= 0.9) (all_hold(share) ? held : lost) = share;
  while (lost > 0.0 && held > 1.02 * lost) {
    const double middle = std::sqrt(held * lost);
    (all_hold(middle) ? held : lost) = middle;
  }
  found.limit = (1.0 - trial.margin) / held;
  return found;
}

// Followers: a wheel comes to its top speed, keeps it, and comes to rest.

/// Steps by which it is ahead of where it belongs by the wheel itself.
double ahead(const SimulatedBench& bench, const Mechanism& mechanism) {
  const Following& follows = *mechanism.follows;
  const double asked =
      bench.signal(mechanism.name + ".asked") / display_units_per_base(output_kind(mechanism.train));
  return (asked - bench.signal("wheel.made") / 360.0 * follows.first.by.base.to_double()) *
         steps_per_base(mechanism).to_double();
}

Case of_follower(Dice& dice) {
  const Rig rig = random_follower(dice);
  const Mechanism& mechanism = rig.mechanisms[0];
  const Shaft& wheel = rig.shafts[0];
  const Following& follows = *mechanism.follows;
  const double a_turn = (follows.first.by.base * steps_per_base(mechanism)).to_double();
  const double a_count = a_turn / static_cast<double>(4 * wheel.encoder->lines_per_turn);
  const double speed = wheel.speed.base.to_double();
  const double bears = own_limits(mechanism).acceleration / a_turn;  // turns/s2 of the wheel
  const ExactTime ramp =
      ExactTime::from_base(Ratio(std::llround(1000.0 * (speed / bears * dice.even(1.3, 3.0) + 0.01)), 1000));
  // One that keeps itself behind settles there as it can stop: in times of its speed over its acceleration.
  const double settles = follows.compensated ? 0.0 : 2.5 * speed / bears;
  const ExactTime steady = ExactTime::from_base(Ratio(std::llround(1000.0 * (0.5 + settles)), 1000));
  const ExactTime joins = ExactTime::from_base(Ratio(1, 10));
  Case found;
  found.what = fmt::format("{}, {:.4g} steps a turn, {:.3g} a count, {}", words(rig), a_turn, a_count,
                           follows.compensated ? "compensated" : "never beyond");
  SimulatedBench bench(rig, {.events = {{.at = joins, .what = "wheel", .speed = wheel.speed, .in = ramp},
                                        {.at = joins + ramp + steady,
                                         .what = "wheel",
                                         .speed = OutputSpeed{OutputKind::rotary, Ratio(0)},
                                         .in = ramp}}});
  FollowerHandle follower = bench.gear(mechanism.name);
  const auto serve_until = [&](ExactTime until) {
    std::pair<double, double> range{1e9, -1e9};
    while (bench.now().base() < until.base().to_double()) {
      bench.serve(Time(0.4e-3, units::s));
      const double is = ahead(bench, mechanism);
      range = {std::min(range.first, is), std::max(range.second, is)};
    }
    return range;
  };
  const ExactTime settled = joins + ramp + steady - ExactTime::from_base(Ratio(1, 4));
  serve_until(settled);
  const auto [least, most] = serve_until(joins + ramp + steady);
  const auto [slowing_least, slowing_most] = serve_until(joins + ramp + steady + ramp + steady);
  const FollowTiming timing =
      follow_timings(gearing_of(mechanism, parts_of(wheel)), rig.controller, follows.compensated).front();
  const double blind = timing.looks + timing.lead;
  const ExpectedLag lag = expected_lag(mechanism, parts_of(wheel), timing.looks, timing.lead);
  const double steps = steps_per_base(mechanism).to_double();
  const double coarse = std::max(1.0, a_count);
  // It stands on the step below where it is asked to be.
  constexpr double of_a_step = 1.35;
  if (follows.compensated) {
    found.within("ahead at a constant speed", most, coarse - 0.65);
    found.within("behind at a constant speed", -least, coarse + 0.35);
    const double braking = speed / ramp.base().to_double();
    found.within("ahead of one that slows down", slowing_most,
                 0.5 * braking * a_turn * blind * blind + a_count + 1.0);
  } else {
    found.within("ahead", std::max(most, slowing_most), 1e-6);
    found.within("behind at a constant speed", -least, 1.03 * lag.sum() * steps + of_a_step);
    found.within("nearer than told at a constant speed", most,
                 -(lag.limits + lag.delay) * steps * 0.9 + of_a_step);
  }
  const Ratio belongs = follower.phase() * follows.first.by.base * steps_per_base(mechanism);
  const Ratio stands = bench.stepper(mechanism.name).position()->base * steps_per_base(mechanism);
  found.within("away from the step of whole numbers", std::abs((stands - belongs).to_double()), 1.0);
  follower.let_go();
  judge(found, bench, mechanism.name, bench.plant(mechanism.name).lost_microsteps() == 0);
  return found;
}

// Motors that turn: figures at a steady duty, after all has settled.

/// What flows and turns over a while.
struct Steady {
  double speed = 0.0;  ///< rad/s of the motor shaft
  double current = 0.0;
  double watts = 0.0;
  double duty = 0.0;
};

void compare(Case& found, const char* what, double told, double happens) {
  found.off.emplace_back(what, told / happens - 1.0);
}

/// Whether a duty turns it, not by a crawl.
bool turns_with(const Rig& rig, double duty) {
  SimulatedBench bench(rig, {});
  bench.leave_encoders_unchecked();
  BrushedHandle reel = bench.brushed("reel");
  reel.spin({.duty = Fraction::from_base(duty)}).wait();
  bench.serve(Time(0.8, units::s));
  const BrushedPlant& plant = bench.brushed_plant("reel");
  const double place = plant.position();
  bench.serve(Time(0.2, units::s));
  constexpr double crawl = 0.05;  // rad/s
  return (plant.position() - place) * shaft_speed(rig.mechanisms[0], 1.0) > 0.2 * crawl;
}

/// Until its speed stays as it is; a current that ends in each period comes to it slowly.
void settle(SimulatedBench& bench, const ShaftPlant& plant, double constant) {
  double before = -1.0;
  for (int i = 0; i < 60; ++i) {
    bench.serve(Time(4.0 * constant, units::s));
    const double place = plant.position();
    bench.serve(Time(0.05, units::s));
    const double way = plant.position() - place;
    if (std::abs(way - before) < 2e-4 * std::abs(way)) return;
    before = way;
  }
}

Case of_brushed(Dice& dice) {
  const Rig rig = random_brushed(dice);
  const Mechanism& mechanism = rig.mechanisms[0];
  const auto& wiring = std::get<BridgeWiring>(mechanism.wiring);
  Case found;
  found.what =
      fmt::format("{}, {} decay at {:.0f} Hz", words(rig), wiring.decay == Decay::fast ? "fast" : "slow",
                  wiring.pwm_frequency.base().to_double());
  const RotaryMotorModel model = model_of(mechanism);
  const double start = start_duty(model);
  double least = 0.8 * start;
  double most = std::min(1.0, 1.2 * start);
  for (int i = 0; i < 7; ++i) {
    const double middle = 0.5 * (least + most);
    (turns_with(rig, middle) ? most : least) = middle;
  }
  found.off.emplace_back("start duty", start / (0.5 * (least + most)) - 1.0);
  const double duty = std::min(0.98, dice.even(1.1 * start, 0.98));
  SimulatedBench bench(rig, {});
  bench.leave_encoders_unchecked();
  bench.brushed("reel").spin({.duty = Fraction::from_base(duty)}).wait();
  const double constant = model.inertia * model.resistance / (model.torque_per_ampere * model.emf);
  const BrushedPlant& plant = bench.brushed_plant("reel");
  settle(bench, plant, constant);
  const double from = bench.now().base();
  const double place = plant.position();
  const double charge = plant.net_charge();
  const double heat = plant.heat();
  bench.serve(Time(0.1, units::s));
  const double lasted = bench.now().base() - from;
  const double speed = (plant.position() - place) / lasted * shaft_speed(mechanism, 1.0);
  const double told = speed_by_duty(model, duty);
  const SwitchedCurrent current = switched_current(model, duty, told);
  // Beside its free speed and its stall current: near nothing a share says nothing.
  const double top = model.supply / model.emf;
  found.off.emplace_back("speed", (told - speed) / std::max(speed, 0.1 * top));
  compare(found, "current", current.mean, (plant.net_charge() - charge) / lasted);
  compare(found, "heat",
          model.winding_loss * current.square + model.board_resistance * current.square +
              current.driven * model.drop + current.freewheels * model.off_drop,
          (plant.heat() - heat) / lasted);
  judge(found, bench, mechanism.name, true);
  return found;
}

/// Brings it to a speed. @return false where its sensors count too rarely for any that it has
bool comes_to_speed(SimulatedBench& bench, OutputSpeed wanted) {
  try {
    bench.brushless("reel").spin({.at = wanted}).wait();
  } catch (const RangeError&) {
    return false;
  }
  bench.serve(Time(0.3, units::s));
  return true;
}

Case of_brushless(Dice& dice) {
  const Rig rig = random_brushless(dice);
  const Mechanism& mechanism = rig.mechanisms[0];
  Case found;
  found.what = words(rig);
  const RotaryMotorModel model = with_commutations(mechanism);
  SimulatedBench bench(rig, {});
  OutputSpeed wanted = mechanism.limits.speed;
  wanted.base = wanted.base * Ratio(std::llround(dice.even(0.3, 0.9) * 1000.0), 1000);
  if (!comes_to_speed(bench, wanted) && !comes_to_speed(bench, mechanism.limits.speed))
    return of_brushless(dice);
  const BrushlessHandle reel = bench.brushless("reel");
  const BrushlessPlant& plant = bench.brushless_plant("reel");
  const double from = bench.now().base();
  const double place = plant.position();
  const double charge = plant.charge();
  const double heat = plant.heat();
  double duty = 0.0;
  constexpr int looks = 200;
  for (int i = 0; i < looks; ++i) {
    bench.serve(Time(1e-3, units::s));
    duty += reel.duty().base() / looks;
  }
  const double lasted = bench.now().base() - from;
  const double speed = (plant.position() - place) / lasted * shaft_speed(mechanism, 1.0);
  const double told = speed_by_duty(model, duty);
  // What inspect tells: what flows at that speed against its load.
  const SwitchedCurrent current = current_at(model, speed);
  compare(found, "speed", told, speed);
  compare(found, "supply current", current.from_supply, (plant.charge() - charge) / lasted);
  compare(found, "heat", model.winding_loss * current.square, (plant.heat() - heat) / lasted);
  judge(found, bench, mechanism.name, true);
  return found;
}

Case of_one(std::uint64_t seed, std::size_t i) {
  Dice dice(seed * 1'000'003 + i);
  const std::size_t kind = i % 4;
  try {
    if (kind == 2) return of_brushed(dice);
    if (kind == 3) return of_brushless(dice);
    if (i % 8 == 5) return of_follower(dice);
    return of_stepper(dice);
  } catch (const std::exception& error) {
    Case found;
    found.failed = fmt::format("case {}: {}", i, error.what());
    return found;
  }
}

struct Promise {
  std::string what{};
  std::size_t kept = 0;
  std::size_t of = 0;
  double least = 1.0;  ///< share
  void count(bool is_kept) {
    ++of;
    if (is_kept) ++kept;
  }
  [[nodiscard]] bool holds() const { return static_cast<double>(kept) >= least * static_cast<double>(of); }
};

int run(std::size_t count, std::uint64_t seed) {
  std::vector<Case> cases(count);
  side_by_side(count, [&](std::size_t i) { cases[i] = of_one(seed, i); });
  Promise tried{"rigs could be tried", 0, 0, 1.0};
  Promise held{"of moves told 20 % or more to spare, lost nothing", 0, 0, least_share_held};
  Promise near{"the bench's limit within 1 to 1.25 times that told", 0, 0, least_share_near};
  Promise figures{"speed, current and heat within 3 %", 0, 0, 1.0};
  Promise followers{"figures of followers no more than told", 0, 0, 1.0};
  Promise starts{"start duty within 2 %", 0, 0, 1.0};
  // A rotor that swings further than half a period when it was to stand is complained of, though it comes
  // back.
  Promise judged{"runs judged as what they came to", 0, 0, least_share_held};
  for (std::size_t i = 0; i < count; ++i) {
    const Case& one = cases[i];
    std::string disagrees;
    tried.count(one.failed.empty());
    if (!one.failed.empty()) disagrees = one.failed;
    if (one.is_stepper && one.told >= much_to_spare) {
      held.count(one.held);
      if (!one.held) disagrees = fmt::format("{:.0f} % told to spare, and it lost steps", 100.0 * one.told);
    }
    if (one.is_stepper && one.limit > 0.0) {
      const bool is_near = one.limit >= 0.995 && one.limit <= limit_apart;
      near.count(is_near);
      if (!is_near)
        disagrees = fmt::format("told {:.0f} % to spare, the bench bears {:.2f} times that limit",
                                100.0 * one.told, one.limit);
    }
    for (const auto& [what, off] : one.off) {
      const bool is_start = std::string_view(what) == "start duty";
      const bool agrees = std::abs(off) <= (is_start ? of_start : of_figures);
      (is_start ? starts : figures).count(agrees);
      if (!agrees)
        disagrees += fmt::format("{}{} {:+.1f} % off", disagrees.empty() ? "" : ", ", what, 100.0 * off);
    }
    for (const std::string& beyond : one.beyond) {
      followers.count(beyond.empty());
      if (!beyond.empty()) disagrees += (disagrees.empty() ? "" : ", ") + beyond;
    }
    for (const std::string& misjudged : one.misjudged) {
      judged.count(misjudged.empty());
      if (disagrees.empty()) disagrees = misjudged;
    }
    if (!disagrees.empty()) fmt::print("  {:4} {}: {}\n", i, one.what, disagrees);
  }
  bool all = true;
  for (const Promise& promise : {tried, held, near, figures, starts, followers, judged}) {
    fmt::print("{}  {} of {}, {}\n", promise.holds() ? "agrees   " : "DISAGREES", promise.kept, promise.of,
               promise.what);
    all = all && promise.holds();
  }
  return all ? 0 : 1;
}

}  // namespace
}  // namespace cogstride::agree

int main(int argc, char** argv) {
  if (argc != 3) {
    std::fputs("agree N SEED: N rigs of chance, predicted and rehearsed\n", stderr);
    return 2;
  }
  return cogstride::agree::run(std::strtoull(argv[1], nullptr, 10), std::strtoull(argv[2], nullptr, 10));
}
