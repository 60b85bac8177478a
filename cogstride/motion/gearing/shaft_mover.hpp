// A shaft that nothing of ours drives, as others follow it: by its encoder's counts, or a master speed that
// is only planned.
#pragma once

#include <string>

#include "cogstride/mechanism/shaft.hpp"
#include "cogstride/motion/gearing/place_source.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/plan/ramp.hpp"

namespace cogstride {

class ShaftMover final : public Mover, public Speeds, public Commanded {
 public:
  static const MoverKind its_kind;
  /// Of a turn or a metre of a master's output: its steps, which nothing makes. Many fractions are whole in
  /// it.
  static constexpr std::int64_t grains_per_base = 50'400;

  ShaftMover(const Shaft& shaft, MechanismId id, const Controller& controller);

  [[nodiscard]] const MoverKind& kind() const override { return its_kind; }
  [[nodiscard]] const Mechanism* parts() const override { return nullptr; }
  [[nodiscard]] const Mechanism* sensed() const override { return &parts_; }
  [[nodiscard]] const Shaft& shaft() const { return shaft_; }
  [[nodiscard]] std::vector<LineSetup> line_setups() const override { return {}; }
  [[nodiscard]] Speeds* speeds() override { return shaft_.is_master() ? this : nullptr; }
  [[nodiscard]] Commanded* commanded() override { return shaft_.is_master() ? this : nullptr; }
  [[nodiscard]] Ratio commanded_per_base() const override { return Ratio(grains_per_base); }

  /// On a ramp to a speed, and on at it. Done when it is reached, or with `lasts` or `by` when it stands
  /// again.
  /// @throws RangeError when it is too fast
  std::shared_ptr<MotionRecord> spin(Lines& lines, const SpeedOrder& order) override;
  std::shared_ptr<MotionRecord> change_speed(Lines& lines, OutputSpeed by) override;
  std::shared_ptr<MotionRecord> reverse_speed(Lines& lines) override;
  void stop(Lines& lines, Braking how) override;
  void halt(Lines& lines, const Why& why) override;
  void lines_were_cut(Lines& lines, const Why& why) override;
  [[nodiscard]] bool has_ended() const override { return !log().is_on(); }
  [[nodiscard]] bool is_driven(Tick now) const override { return state(now).speed != 0.0; }

  [[nodiscard]] std::int64_t commanded_step(Tick now) const override { return state(now).position.whole; }
  [[nodiscard]] Ahead commanded(Tick now, Tick at) const override;

  [[nodiscard]] std::vector<TracedSignal> signals() const override;
  void sample(Tick now, std::span<double> values) const override;
  [[nodiscard]] std::string asked(Tick now) const override;
  [[nodiscard]] MoverVerdict came_to(Tick now) const override;
  [[nodiscard]] Tick next_act() const override { return arrives_at_; }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  [[nodiscard]] MotionState state(Tick at) const;
  [[nodiscard]] Tick tick_of(double seconds) const;
  std::shared_ptr<MotionRecord> go(Lines& lines, Ramp ramp, std::string what);
  [[nodiscard]] RampLimits limits() const;

  Shaft shaft_;
  Mechanism parts_;
  double ticks_per_second_;
  Ramp ramp_{};
  Tick began_ = 0;
  Tick arrives_at_ = never;
  Ratio asked_{};  // turns/s or m/s
};

}  // namespace cogstride
