// Brushed motors behind an H-bridge.
#include <fmt/format.h>

#include <algorithm>

#include "cogstride/bench/simulated/simulated_lines.hpp"
#include "cogstride/bench/simulated/twins/rotary_causes.hpp"
#include "cogstride/bench/simulated/twins/twins.hpp"
#include "cogstride/motion/brushed/duty_mover.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/plant/brushed_plant.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"

namespace cogstride {
namespace {

ShaftPlant::Setup setup_of(const TwinSetup& setup) {
  return setup.is_averaged ? setup.plant.with_steps_of(BrushedPlant::longest_averaged_step) : setup.plant;
}

class BrushedTwin final : public Twin {
 public:
  BrushedTwin(const DutyMover& mover, const TwinSetup& setup)
      : mover_(mover),
        plant_(*setup.mechanism, setup_of(setup)),
        lines_(*setup.lines),
        ticks_per_second_(setup.plant.clock.base().to_double()),
        model_(model_of(mover.mechanism())),
        seen_(mover.mechanism()),
        settles_after_(0.2 +
                       5.0 * model_.inertia * model_.resistance / (model_.torque_per_ampere * model_.emf)) {}

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
    values[2] = shown_.look(plant_.at(), ticks_per_second_, plant_.net_charge(), plant_.current());
    values[3] = plant_.supply_voltage();
    values[4] = shown_rise(heat(), plant_.motor_rise());
  }

  /// Some duty that stays makes a speed that the rig's figures tell: less than half of it is not what was
  /// asked.
  [[nodiscard]] bool wants_looks() const override { return true; }
  void look() override {
    const Tick now = lines_.now();
    const double passed = look_clock_.passed(now);
    const double duty = mover_.duty(now);
    const double current = passed > 0.0 ? (plant_.net_charge() - charge_) / passed : 0.0;
    charge_ = plant_.net_charge();
    seen_.look({passed, duty, plant_.fed(), current, plant_.shaft_turns(), mover_.has_ended()});
    if (duty != 0.0) last_way_ = duty;
    if (duty != duty_ || mover_.let_through() < 1.0 || passed <= 0.0) {
      duty_ = duty;
      stays_for_ = 0.0;
      makes_.reset();
      return;
    }
    stays_for_ += passed;
    if (duty == 0.0 || stays_for_ < settles_after_) return;
    if (!makes_) makes_ = speed_by_duty(model_, std::abs(duty));
    const double speed = std::copysign(1.0, duty) * shaft_speed(mover_.mechanism(), plant_.speed());
    if (speed >= 0.5 * *makes_) return;
    slow_for_ += passed;
    slow_flow_ += passed * std::abs(current);
    if (slow_.made_share > speed / *makes_) slow_ = {speed / *makes_, duty, *makes_};
  }

  void judge(MoverVerdict& verdict, Tick now, double seconds) const override {
    const Mechanism& mechanism = mover_.mechanism();
    const OutputKind kind = output_kind(mechanism.train);
    const double made = display_units_per_base(kind) * plant_.position();
    const double speed = speed_units_per_base(kind) * plant_.speed();
    const double duty = mover_.duty(now);
    const double mean = plant_.charge() / std::max(1e-9, seconds);
    verdict.sum = fmt::format("ends at {:.1f} {}, {}{}", made, display_unit(kind, 0),
                              turning_words(speed, speed_unit(kind)),
                              duty == 0.0 ? "" : fmt::format(", at {:.4g} %", 100.0 * duty));
    const auto& limit = mechanism.limits.current;
    verdict.rows.insert(
        verdict.rows.begin(),
        {{"current", fmt::format("{:.3g} A at the most, {:.3g} A for 10 ms, {:.3g} A on average{}{}",
                                 plant_.highest_current(), plant_.sustained_current(), mean,
                                 limit ? fmt::format("; the rig allows {:.3g} A", limit->base()) : "",
                                 held_back_words(now))},
         {"heat", fmt::format("{}, {}", rise_words("motor", plant_.highest_motor_rise(), is_known(heat())),
                              rise_words("board", plant_.highest_board_rise(), is_known(stage())))},
         {"supply", fmt::format("{:.4g} V at the most", plant_.highest_supply())}});
    verdict.add("made", made, std::string(display_unit(kind, 0)));
    verdict.add("speed", speed, std::string(speed_unit(kind)));
    verdict.add("highest_current", plant_.highest_current(), "A");
    verdict.add("sustained_current", plant_.sustained_current(), "A");
    verdict.add("mean_current", mean, "A");
    verdict.add("highest_supply", plant_.highest_supply(), "V");
    if (is_known(heat())) verdict.add("motor_rise", plant_.highest_motor_rise(), "K");
    if (is_known(stage())) verdict.add("board_rise", plant_.highest_board_rise(), "K");
    verdict.add("periods_limited", static_cast<double>(plant_.times_limited()));
    verdict.add("held_back_by_shunt", mover_.held_back(now), "s");
    verdict.add("driven_and_still", plant_.driven_still(), "s");
    complain_of_stand(verdict);
    complain_of_speed(verdict, now, speed);
    complain_of_counts(verdict);
    if (wants_causes(verdict, is_faulted())) verdict.causes = causes();
    complain_of_limits(verdict);
  }

 private:
  [[nodiscard]] std::vector<VerdictCause> causes() const {
    RotaryEvidence seen = seen_;
    if (slow_for_ > longest_slow)
      seen.slow(slow_flow_ / slow_for_, switched_current(model_, std::abs(slow_.duty), slow_.makes).mean);
    if (const std::optional<std::int64_t> count = mover_.feedback().count())
      if (const auto* const encoder = sensor_of<Encoder>(mover_.mechanism()))
        seen.counts(static_cast<double>(*count), turned_counts(*encoder));
    return seen.causes(mover_.mechanism());
  }
  [[nodiscard]] double turned_counts(const Encoder& encoder) const {
    return counts_per_base(mover_.mechanism(), encoder).to_double() * (plant_.position() - began_at_);
  }

  /// By whom its current was kept down, and for how long: the board, period by period, or its controller.
  [[nodiscard]] std::string held_back_words(Tick now) const {
    std::string words;
    if (plant_.times_limited() > 0)
      words += fmt::format("; the board cut {} periods short", plant_.times_limited());
    if (const double held = mover_.held_back(now); held > 0.0)
      words += fmt::format("; its controller held it back by the shunt for {}", seconds_text(held));
    return words;
  }
  static constexpr double longest_slow = 0.2;    // s
  static constexpr double least_told = 0.5;      // rpm or mm/s: less is a creep
  static constexpr double longest_still = 0.2;   // s; a ramp from nothing takes some
  static constexpr double current_spare = 1.05;  // its ripple and the noise of what measures it

  [[nodiscard]] const MotorHeat& heat() const {
    return std::get<BrushedMotor>(mover_.mechanism().motor).heat;
  }
  [[nodiscard]] const BoardStage& stage() const { return stage_of(mover_.mechanism().board); }

  /// What its encoder counted against how far it turned since it was counted first.
  void complain_of_counts(MoverVerdict& verdict) const {
    const auto* const encoder = sensor_of<Encoder>(mover_.mechanism());
    const std::optional<std::int64_t> count = mover_.feedback().count();
    if (encoder == nullptr || !count) return;
    verdict.looked_at.push_back("its encoder's count against how far it turned");
    const double per_base = counts_per_base(mover_.mechanism(), *encoder).to_double();
    const double turned = turned_counts(*encoder);
    const double off = static_cast<double>(*count) - turned;
    verdict.add("counts_off", off);
    // It is read a stride after the shaft has moved on; a count at each end is not known.
    const double spare = 4.0 + std::abs(per_base * plant_.speed()) * 0.01 + 1e-3 * std::abs(turned);
    if (std::abs(off) > spare)
      verdict.complaints.push_back(
          fmt::format("{} counted {}, and it turned {:.0f} counts", encoder->name, *count, turned));
  }

  void complain_of_speed(MoverVerdict& verdict, Tick now, double speed) const {
    const Mechanism& mechanism = mover_.mechanism();
    const OutputKind kind = output_kind(mechanism.train);
    verdict.looked_at.push_back("its speed against what its duty makes by the rig's figures");
    // What stood is told of where it stood.
    if (slow_for_ > longest_slow && plant_.driven_still() < longest_still) {
      const double scale = speed_units_per_base(kind) / shaft_speed(mechanism, 1.0);
      verdict.complaints.push_back(
          fmt::format("for {:.2g} s it turned at {:.3g} {} or so with {:.3g} % of duty, which makes {:.3g} "
                      "{} by the rig's figures",
                      slow_for_, scale * slow_.made_share * slow_.makes, speed_unit(kind),
                      100.0 * std::abs(slow_.duty), scale * slow_.makes, speed_unit(kind)));
    }
    verdict.looked_at.push_back("whether it stood where nothing was asked of it");
    const bool by_its_load = speed * last_way_ < 0.0 || (last_way_ == 0.0 && speed != 0.0);
    if (mover_.duty(now) == 0.0 && mover_.has_ended() && by_its_load && std::abs(speed) > least_told)
      verdict.complaints.push_back(
          fmt::format("nothing is asked of it, and it turns at {:.3g} {}: what holds it "
                      "must be a brake, or a drive that goes on (limits.slows_by)",
                      speed, speed_unit(kind)));
  }

  void complain_of_stand(MoverVerdict& verdict) const {
    const Mechanism& mechanism = mover_.mechanism();
    verdict.looked_at.push_back("whether it stood while it was driven");
    if (plant_.driven_still() >= longest_still)
      verdict.complaints.push_back(fmt::format(
          "it was driven for {:.2g} s and stood, with up to {:.3g} A; by the rig's figures it turns from "
          "{:.3g} % of "
          "duty on",
          plant_.driven_still(), plant_.still_current(), 100.0 * start_duty(model_of(mechanism))));
  }

  void complain_of_limits(MoverVerdict& verdict) const {
    const Mechanism& mechanism = mover_.mechanism();
    hold_against(verdict, "current", plant_.sustained_current() / current_spare,
                 base_of(mechanism.limits.current), [&](double most) {
                   return fmt::format(
                       "{:.3g} A for 10 ms is over the {:.3g} A that the rig allows (limits.current), and "
                       "nothing held it back: a longer ramp, a board with a current limit "
                       "(board.current_limit), or a shunt by which the controller does",
                       plant_.sustained_current(), most);
                 });
    hold_heat_against(verdict, mover_.mechanism(), heat(), plant_.highest_motor_rise());
    hold_heat_against(verdict, mover_.mechanism(), stage(), plant_.highest_board_rise());
    hold_against(verdict, "supply", plant_.highest_supply(),
                 base_of(stage_of(mechanism.board).highest_supply), [&](double most) {
                   return fmt::format(
                       "the supply was pumped up to {:.4g} V, and the board stands {:.4g} V "
                       "(board.highest_supply)",
                       plant_.highest_supply(), most);
                 });
  }

  const DutyMover& mover_;
  BrushedPlant plant_;
  double began_at_ = plant_.position();  // of the output
  const SimulatedLines& lines_;
  double ticks_per_second_;
  RotaryMotorModel model_;  // as the rig says
  RotaryEvidence seen_;
  double settles_after_;    // s
  double charge_ = 0.0;     // A s, that had flowed at the last look
  double slow_flow_ = 0.0;  // A s, while it was slow
  struct Slow {
    double made_share = 1.0;  // of what the duty makes
    double duty = 0.0;
    double makes = 0.0;  // rad/s
  };
  Slow slow_{};
  LookClock look_clock_{ticks_per_second_};
  double duty_ = 0.0;
  double last_way_ = 0.0;
  double stays_for_ = 0.0;  // s
  double slow_for_ = 0.0;   // s
  std::optional<double> makes_{};
  mutable ShownCurrent shown_{};  // as its own looks pass
};

}  // namespace

std::unique_ptr<Twin> brushed_twin(Mover& mover, const TwinSetup& setup) {
  return std::make_unique<BrushedTwin>(*as<DutyMover>(mover), setup);
}

}  // namespace cogstride
