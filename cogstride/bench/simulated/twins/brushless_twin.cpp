// Bare brushless motors behind six gates.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "cogstride/bench/simulated/twins/rotary_causes.hpp"
#include "cogstride/bench/simulated/twins/twins.hpp"
#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/motion/brushless/six_step_mover.hpp"
#include "cogstride/plant/brushless_plant.hpp"

namespace cogstride {
namespace {

class BrushlessTwin final : public Twin {
 public:
  BrushlessTwin(const SixStepMover& mover, const TwinSetup& setup)
      : mover_(mover),
        plant_(*setup.mechanism, setup.plant),
        lines_(*setup.lines),
        ticks_per_second_(setup.plant.clock.base().to_double()),
        seen_(mover.mechanism()) {}

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
    for (std::size_t phase = 0; phase < 3; ++phase)
      values[2 + phase] = shown_[phase].look(plant_.at(), ticks_per_second_, plant_.phase_charge(phase),
                                             plant_.current(phase));
    values[5] = plant_.supply_voltage();
    values[6] = shown_rise(heat(), plant_.motor_rise());
  }

  [[nodiscard]] bool wants_looks() const override { return true; }
  void look() override {
    const double passed = look_clock_.passed(lines_.now());
    if (passed <= 0.0) return;
    double most = 0.0;
    for (std::size_t phase = 0; phase < 3; ++phase) {
      most = std::max(most, std::abs(plant_.phase_charge(phase) - charges_[phase]) / passed);
      charges_[phase] = plant_.phase_charge(phase);
    }
    seen_.look({passed, mover_.duty(), plant_.fed(), most, plant_.shaft_turns(), mover_.has_ended()});
  }

  void judge(MoverVerdict& verdict, Tick, double) const override {
    const Mechanism& mechanism = mover_.mechanism();
    const OutputKind kind = output_kind(mechanism.train);
    const std::string unit(speed_unit(kind));
    const double speed = speed_units_per_base(kind) * plant_.speed();
    const double highest = speed_units_per_base(kind) * plant_.highest_speed();
    const auto& limit = mechanism.limits.current;
    verdict.sum = fmt::format("ends {}, at most at {:.4g} {}", turning_words(speed, unit), highest, unit);
    verdict.rows.insert(
        verdict.rows.begin(),
        {{"current", fmt::format("{:.3g} A of a phase at the most, {:.3g} A for 10 ms{}",
                                 plant_.highest_current(), plant_.sustained_current(),
                                 limit ? fmt::format("; the rig allows {:.3g} A", limit->base()) : "")},
         {"supply", fmt::format("{:.4g} V at the most", plant_.highest_supply())},
         {"heat", rise_words("motor", plant_.highest_motor_rise(), is_known(heat()))}});
    verdict.add("speed", speed, unit);
    verdict.add("highest_speed", highest, unit);
    verdict.add("highest_current", plant_.highest_current(), "A");
    verdict.add("sustained_current", plant_.sustained_current(), "A");
    verdict.add("highest_supply", plant_.highest_supply(), "V");
    if (is_known(heat())) verdict.add("motor_rise", plant_.highest_motor_rise(), "K");
    verdict.add("bootstraps_empty", static_cast<double>(plant_.times_empty()));
    complain_of_gates(verdict);
    const bool never_turned = seen_.driven() > longest_stand && seen_.is_locked();
    if (never_turned)
      verdict.complaints.push_back(
          fmt::format("it was driven for {:.2g} s and never turned", seen_.driven()));
    if ((never_turned || is_faulted()) && !plant_.destroyed_at()) verdict.causes = seen_.causes(mechanism);
    complain_of_limits(verdict);
  }

 private:
  static constexpr double longest_stand = 1.0;  // s; it is aligned for a while
  static constexpr double current_spare = 1.1;  // of its limit: rows follow one another with a ripple

  [[nodiscard]] const MotorHeat& heat() const {
    return std::get<BrushlessMotor>(mover_.mechanism().motor).heat;
  }

  void complain_of_gates(MoverVerdict& verdict) const {
    const Mechanism& mechanism = mover_.mechanism();
    verdict.looked_at = {"whether both gates of a leg were on", "whether its bootstrap capacitors were kept",
                         "whether it turned at all while it was driven"};
    if (plant_.times_empty() > 0)
      verdict.complaints.push_back(fmt::format(
          "a high side went off {} times because its bootstrap capacitor was empty (board.bootstrap_holds, "
          "board.bootstrap_refresh)",
          plant_.times_empty()));
    if (plant_.destroyed_at()) {
      const auto& gates = std::get<GateWiring>(mechanism.wiring).gates;
      const std::string lines =
          fmt::format("lines {} and {}", line_name(gates[2 * plant_.destroyed_leg()].number),
                      line_name(gates[2 * plant_.destroyed_leg() + 1].number));
      verdict.moments.push_back({*plant_.destroyed_at(), "both gates of a leg on: " + lines, {}});
      verdict.complaints.push_back(
          fmt::format("at {:.6f} s both gates of a leg were on ({}): its two transistors are no more",
                      static_cast<double>(*plant_.destroyed_at()) / ticks_per_second_, lines));
    }
  }

  void complain_of_limits(MoverVerdict& verdict) const {
    const Mechanism& mechanism = mover_.mechanism();
    hold_against(verdict, "current", plant_.sustained_current() / current_spare,
                 base_of(mechanism.limits.current), [&](double most) {
                   return fmt::format(
                       "a phase carried {:.3g} A for 10 ms, and the rig allows {:.3g} A (limits.current)",
                       plant_.sustained_current(), most);
                 });
    hold_heat_against(verdict, mover_.mechanism(), heat(), plant_.highest_motor_rise());
  }

  const SixStepMover& mover_;
  BrushlessPlant plant_;
  const SimulatedLines& lines_;
  double ticks_per_second_;
  RotaryEvidence seen_;
  LookClock look_clock_{ticks_per_second_};
  std::array<double, 3> charges_{};              // A s
  mutable std::array<ShownCurrent, 3> shown_{};  // as their own looks pass
};

}  // namespace

std::unique_ptr<Twin> brushless_twin(Mover& mover, const TwinSetup& setup) {
  return std::make_unique<BrushlessTwin>(*as<SixStepMover>(mover), setup);
}

}  // namespace cogstride
