// What takes a pulse width: hobby servos, and motors behind a speed controller.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "cogstride/bench/simulated/simulated_lines.hpp"
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
    values[3] = shown_rise(its_heat(), its_plant().rise());
  }

  void judge(MoverVerdict& verdict, Tick now, double seconds) const override {
    const PulsePlant& plant = its_plant();
    const Mechanism& mechanism = mover_.mechanism();
    const MotorHeat& heat = its_heat();
    const std::optional<double> stands = highest_rise(mechanism, heat);
    const std::optional<double> share = mover_.pulse_share(now);
    const double made = units_per_share_ * this->made();
    const double mean = plant.charge() / std::max(1e-9, seconds);
    const double energy = plant.charge() * mechanism.supply.voltage.base();
    verdict.sum = sum(share ? std::optional(units_per_share_ * *share) : std::nullopt, made);
    verdict.rows = {{"current", fmt::format("{:.3g} A at the most, {:.3g} A on average; {:.3g} J taken from "
                                            "its supply",
                                            plant.highest_current(), mean, energy)}};
    if (!is_known(heat))
      verdict.rows.push_back({"heat", rise_words("motor", 0.0, false)});
    else
      verdict.rows.push_back(
          {"heat", fmt::format("up to {:.3g} K over the air{}", plant.highest_rise(),
                               stands ? fmt::format("; it stands {:.3g} K", *stands) : "")});
    verdict.add("made", made, unit_);
    verdict.add("highest_current", plant.highest_current(), "A");
    verdict.add("mean_current", mean, "A");
    verdict.add("energy", energy, "J");
    if (is_known(heat)) verdict.add("motor_rise", plant.highest_rise(), "K");
    verdict.add("longest_stall", plant.longest_stall(), "s");
    complain(verdict);
    if (share) hold_against(verdict, units_per_share_ * *share, made);
    if (wants_causes(verdict, is_faulted())) {
      verdict.causes = causes();
      const VerdictCause own = own_cause();
      if (verdict.causes.empty() && plant.pulses() > 0 && !own.name.empty()) verdict.causes.push_back(own);
    }
    complain_of_heat(verdict, heat, stands);
  }

  [[nodiscard]] bool wants_looks() const override { return true; }
  void look() override {
    const double passed = look_clock_.passed(lines_.now());
    if (passed <= 0.0) return;
    if (its_plant().fed() > 0.0) lowest_fed_ = std::min(lowest_fed_, its_plant().fed());
    if (!mover_.has_pulses()) return;
    given_for_ += passed;
    if (its_plant().fed() == 0.0) unfed_for_ += passed;
    look_after(passed);
  }

 protected:
  PulseTwin(const PulseWidthMover& mover, std::string unit, double units_per_share, const TwinSetup& setup)
      : mover_(mover),
        lines_(*setup.lines),
        unit_(std::move(unit)),
        units_per_share_(units_per_share),
        ticks_per_second_(setup.plant.clock.base().to_double()) {}

  [[nodiscard]] virtual const PulsePlant& its_plant() const = 0;
  [[nodiscard]] virtual double made() const = 0;
  [[nodiscard]] virtual const MotorHeat& its_heat() const = 0;
  [[nodiscard]] virtual std::string sum(std::optional<double> asked, double made) const = 0;
  /// What went wrong that it alone knows.
  virtual void complain(MoverVerdict& verdict) const = 0;
  /// What of that is its alone; without a name: nothing.
  [[nodiscard]] virtual VerdictCause own_cause() const = 0;
  /// Its pulses go out, for so long since the last look, s.
  virtual void look_after(double /*passed*/) {}
  /// What was asked against what was made, in its unit.
  virtual void hold_against(MoverVerdict& verdict, double asked, double made) const = 0;

  [[nodiscard]] const PulseWidthMover& mover() const { return mover_; }
  [[nodiscard]] const SimulatedLines& lines() const { return lines_; }
  [[nodiscard]] const std::string& unit() const { return unit_; }
  [[nodiscard]] double units_per_share() const { return units_per_share_; }
  [[nodiscard]] double ticks_per_second() const { return ticks_per_second_; }

 private:
  /// What all of them have: a supply, and a wire for their pulses.
  [[nodiscard]] std::vector<VerdictCause> causes() const {
    const Mechanism& said = mover_.mechanism();
    const PulsePlant& plant = its_plant();
    const double rate = std::get<PulseWidthInput>(said.board).frame_rate.base().to_double();
    if (unfed_for_ > 0.05) return {{"supply", supply_words(said, unfed_for_)}};
    const double came = static_cast<double>(plant.pulses()) / std::max(1.0, given_for_ * rate);
    if (came < 0.9 && given_for_ * rate > 5.0)
      return {{"pulse wire", fmt::format("{} of its pulses came to it: their wire (lines.pulse), {}",
                                         plant.pulses() == 0 ? "none" : fmt::format("{:.0f} %", 100.0 * came),
                                         ground_words(said))}};
    if (plant.longest_stall() >= longest_held)
      return {
          {"held",
           fmt::format("it was driven and could not move: something jams, or holds more than its torque{}",
                       said.swings() ? ", or it is sent beyond its own ends (board.shortest_pulse, "
                                       "longest_pulse)"
                                     : "")}};
    if (auto low = low_supply(said, lowest_fed_)) return {*low};
    return {};
  }
  void complain_of_heat(MoverVerdict& verdict, const MotorHeat& heat, std::optional<double> stands) const {
    const PulsePlant& plant = its_plant();
    if (!stands || !is_known(heat)) {
      verdict.not_looked_at.push_back(
          stands ? "its motor's heat: the rig does not say how it warms (motor.thermal_resistance "
                   "and motor.heat_capacity)"
                 : "its motor's heat: the rig does not say what may be");
      return;
    }
    verdict.looked_at.push_back("its motor's heat against what the rig says");
    const double rest = heat.thermal_resistance->base() * heat.heat_capacity->base() * std::log(2.0);
    verdict.add("rest", rest, "s");
    if (plant.too_warm_at() == never) return;
    const double at = static_cast<double>(plant.too_warm_at()) / ticks_per_second_;
    verdict.moments.push_back({plant.too_warm_at(), "warmer than its motor stands", {}});
    verdict.complaints.push_back(
        fmt::format("after {:.1f} s it was warmer than the {:.3g} K over the air that it stands, and came to "
                    "{:.3g} K: it must rest for {:.3g} s then, to be half as warm",
                    at, *stands, plant.highest_rise(), rest));
  }

  static constexpr double longest_held = 0.3;  // s
  const PulseWidthMover& mover_;
  const SimulatedLines& lines_;
  double given_for_ = 0.0;                                       // s, that its pulses go out
  double unfed_for_ = 0.0;                                       // s of it without its supply
  double lowest_fed_ = std::numeric_limits<double>::infinity();  // V
  std::string unit_;
  double units_per_share_;
  double ticks_per_second_;
  LookClock look_clock_{ticks_per_second_};
};

class ServoTwin final : public PulseTwin {
 public:
  ServoTwin(const PulseWidthMover& mover, const TwinSetup& setup)
      : PulseTwin(mover, std::string(display_unit(output_kind(mover.mechanism().train), 0)),
                  whole_swing(mover.mechanism()), setup),
        plant_(*setup.mechanism, setup.plant,
               setup.plant.start_position / range_of(*setup.mechanism).base.to_double()) {}

  [[nodiscard]] Plant* plant() override { return &plant_; }
  [[nodiscard]] std::vector<TracedSignal> signals() const override {
    return {{"made", unit()}, {"current", "A"}, {"power", "W"}, {"motor_rise", "K"}};
  }

 private:
  [[nodiscard]] const PulsePlant& its_plant() const override { return plant_; }
  [[nodiscard]] double made() const override { return plant_.position(); }
  static constexpr double longest_held = 0.3;  // s; a swing that meets its end a little early takes less

  /// It swings by itself, and its mover goes by the time that this takes: a swing that is done should be
  /// made.
  void noted(const MotionNote& note) override {
    if (note.kind != MotionNote::Kind::done) return;
    const std::optional<double> share = mover().pulse_share(note.at);
    if (!share) return;
    const double off = units_per_share() * (plant_.position() - *share);
    if (std::abs(off) <= std::abs(worst_.off)) return;
    worst_ = {note.at, off, units_per_share() * *share};
  }

  [[nodiscard]] const MotorHeat& its_heat() const override {
    return std::get<HobbyServo>(mover().mechanism().motor).heat;
  }
  [[nodiscard]] std::string sum(std::optional<double> asked, double made) const override {
    return fmt::format("{}, stands at {:.1f} {}",
                       asked ? fmt::format("sent to {:.4g} {}", *asked, unit()) : "without pulses, limp",
                       made, unit());
  }
  void complain(MoverVerdict& verdict) const override {
    verdict.looked_at.push_back("whether it was held fast");
    verdict.looked_at.push_back("where it stood after each swing against where it was sent");
    verdict.add("worst_off", worst_.off, unit());
    if (std::abs(worst_.off) > late_share * units_per_share() && plant_.longest_stall() < longest_held)
      verdict.complaints.push_back(fmt::format(
          "at {:.3f} s it should have stood at {:.4g} {}, and it stood {:.3g} {} away{}",
          static_cast<double>(worst_.at) / ticks_per_second(), worst_.asked, unit(), std::abs(worst_.off),
          unit(), plant_.highest_current() < 1e-3 ? ": it drew no current at all" : ""));
    if (plant_.longest_stall() < longest_held) return;
    verdict.complaints.push_back(fmt::format("it was held fast for {:.2g} s and drew {:.3g} A",
                                             plant_.longest_stall(), plant_.highest_current()));
  }
  [[nodiscard]] VerdictCause own_cause() const override {
    const std::optional<double> share = mover().pulse_share(lines().now());
    const double end_off = share ? units_per_share() * (plant_.position() - *share) : 0.0;
    if (std::abs(end_off) < 0.5 * std::abs(worst_.off) || worst_.off == 0.0)
      if (std::abs(worst_.off) > late_share * units_per_share())
        return {"speed", "it is slower than the rig says (motor.speed), or its load is heavier"};
    return {
        "end points",
        "the pulses of its ends (board.shortest_pulse, longest_pulse, centre_pulse), the way round that it "
        "turns, and the angle between them (motor.range)"};
  }
  /// By no more than its dead band, and what its timer cannot say.
  void hold_against(MoverVerdict& verdict, double asked, double made) const override {
    const auto& servo = std::get<HobbyServo>(mover().mechanism().motor);
    const PulseScale pulses(mover().mechanism());
    const double steepest =
        std::min(std::abs(pulses.seconds_per_share(0.0)), std::abs(pulses.seconds_per_share(1.0)));
    const double count = static_cast<double>(mover().driver().grain()) / ticks_per_second();
    const double spare = units_per_share() * (servo.dead_band.base() + count) / steepest;
    verdict.looked_at.push_back("where it stands against where it was sent");
    if (std::abs(asked - made) > spare)
      verdict.complaints.push_back(
          fmt::format("it stands {:.3g} {} from where it was sent; its dead band explains {:.2g} {}",
                      std::abs(asked - made), unit(), spare, unit()));
  }

  static constexpr double late_share = 0.1;  // of the whole swing
  struct Worst {
    Tick at = 0;
    double off = 0.0;
    double asked = 0.0;
  };
  Worst worst_{};
  HobbyServoPlant plant_;
};

class ThrottleTwin final : public PulseTwin {
 public:
  ThrottleTwin(const PulseWidthMover& mover, const TwinSetup& setup)
      : PulseTwin(mover, "%", 100.0, setup), plant_(*setup.mechanism, setup.plant) {}

  [[nodiscard]] Plant* plant() override { return &plant_; }
  [[nodiscard]] std::vector<TracedSignal> signals() const override {
    return {{"speed", unit()}, {"current", "A"}, {"power", "W"}, {"motor_rise", "K"}};
  }

 private:
  [[nodiscard]] const PulsePlant& its_plant() const override { return plant_; }
  [[nodiscard]] double made() const override { return plant_.speed(); }
  static constexpr double longest_held = 0.3;  // s

  [[nodiscard]] const MotorHeat& its_heat() const override {
    return std::get<ThrottledMotor>(mover().mechanism().motor).heat;
  }
  [[nodiscard]] std::string sum(std::optional<double> asked, double made) const override {
    return fmt::format("{}, turns at {:.1f} % of full speed",
                       asked ? fmt::format("throttle {:.4g} %", *asked) : "without pulses, not armed", made);
  }
  void look_after(double passed) override {
    const double share = mover().pulse_share(lines().now()).value_or(0.0);
    if (std::abs(share) <= 0.01 || plant_.obeys()) return;
    deaf_for_ += passed;
    deaf_at_ = std::max(deaf_at_, std::abs(share));
  }
  [[nodiscard]] VerdictCause own_cause() const override {
    if (plant_.too_soon() > 0)
      return {"arming",
              "what its speed controller wants before it obeys (board.arming), and the pulse of no throttle "
              "(board.shortest_pulse, centre_pulse)"};
    if (deaf_for_ > longest_deaf)
      return {"arming",
              "its speed controller was not armed: the pulse of no throttle (board.shortest_pulse, "
              "centre_pulse), board.arming, and whether its pulses or its supply failed meanwhile"};
    return {};
  }
  void complain(MoverVerdict& verdict) const override {
    verdict.looked_at.push_back("whether its throttle was obeyed");
    verdict.add("not_obeyed", deaf_for_, "s");
    if (deaf_for_ > longest_deaf && plant_.too_soon() == 0)
      verdict.complaints.push_back(fmt::format(
          "for {:.2g} s it was given up to {:.3g} % throttle and did not obey{}", deaf_for_, 100.0 * deaf_at_,
          plant_.pulses() == 0 ? ": no pulse reached its speed controller"
                               : ": it was not armed, or not any more"));
    if (plant_.too_soon() > 0)
      verdict.complaints.push_back(
          fmt::format("{} pulses with throttle came before its speed controller was armed, and were not "
                      "obeyed",
                      plant_.too_soon()));
    if (plant_.longest_stall() >= longest_held)
      verdict.complaints.push_back(fmt::format("it was held fast for {:.2g} s and drew {:.3g} A",
                                               plant_.longest_stall(), plant_.highest_current()));
    verdict.add("pulses_too_soon", static_cast<double>(plant_.too_soon()));
    if (!std::get<ThrottledMotor>(mover().mechanism().motor).surge_current)
      verdict.not_looked_at.push_back(
          "its current while it speeds up: the rig does not say what it takes from a standstill "
          "(motor.surge_current)");
  }
  void hold_against(MoverVerdict& verdict, double, double) const override {
    verdict.not_looked_at.push_back("how fast it turned: a throttle promises no speed");
  }

  static constexpr double longest_deaf = 0.2;  // s; a lost pulse or two are none
  double deaf_for_ = 0.0;
  double deaf_at_ = 0.0;  // share
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
