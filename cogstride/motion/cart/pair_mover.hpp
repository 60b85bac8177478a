// Motions of a wheeled pair: both wheels go to places of their own by their encoders, on ramps of one shape
// that begin and end together. Where one is held back by a limit, both go on more slowly, so that the cart
// stays on its way.
//
// From the counts of both wheels it also tells where it thinks the cart is.
#pragma once

#include <memory>
#include <optional>
#include <string>

#include "cogstride/motion/brushed/duty_mover.hpp"
#include "cogstride/plan/wheel_ways.hpp"

namespace cogstride {

/// What both wheels of a pair can be held to, to be asked ahead.
struct CartWheels {
  HeldRange left;
  HeldRange right;
  double left_rolls = 0.0;  ///< m a turn
  double right_rolls = 0.0;
  double track = 0.0;  ///< m

  /// Of the middle between the wheels (m/s); of a turn on the spot (rad/s).
  [[nodiscard]] double top_speed(const CartWay& way) const;
  /// The same of an acceleration.
  [[nodiscard]] double top_acceleration(const CartWay& way) const;
  /// A speed of a way in those units. @throws RangeError when it is of the other kind, not above 0 or over
  /// the top speed
  [[nodiscard]] double required(const std::string& name, const CartWay& way, OutputSpeed speed) const;
};

/// @throws RangeError when one of the wheels has no encoder
[[nodiscard]] CartWheels cart_wheels(const WheeledPair& pair, const Mechanism& left, const Mechanism& right);

/// "812.3 mm on, 0.4 mm to the left, turned 1.20 deg"
[[nodiscard]] std::string words(const CartPose& pose);

class PairMover final : public Mover, public Ways {
 public:
  static const MoverKind its_kind;

  /// The movers must outlive it. @throws RangeError when one of them has no encoder
  PairMover(const WheeledPair& pair, MechanismId id, DutyMover& left, DutyMover& right,
            const Controller& controller);

  /// @throws RangeError when it is refused, or the way before has not ended
  std::shared_ptr<MotionRecord> drive(Lines& lines, const CartOrder& order) override;
  std::shared_ptr<MotionRecord> roll(Lines& lines, double speed, double turn) override;
  /// Both wheels down as their limits allow, and let go.
  void stop(Lines& lines, Braking how) override;
  [[nodiscard]] const MoverKind& kind() const override { return its_kind; }
  [[nodiscard]] Ways* ways() override { return this; }
  [[nodiscard]] std::vector<Mover*> moves() const override { return {left_.mover, right_.mover}; }
  [[nodiscard]] std::vector<TracedSignal> signals() const override;
  void sample(Tick now, std::span<double> values) const override;
  [[nodiscard]] std::string asked(Tick now) const override;
  [[nodiscard]] MoverVerdict came_to(Tick now) const override;
  /// Its wheels are being stopped by themselves.
  void halt(Lines& lines, const Why& why) override;
  void lines_were_cut(Lines& lines, const Why& why) override { halt(lines, why); }
  [[nodiscard]] const Mechanism* parts() const override { return nullptr; }
  [[nodiscard]] std::vector<LineSetup> line_setups() const override { return {}; }
  [[nodiscard]] bool has_ended() const override { return !log().is_on(); }
  [[nodiscard]] bool is_driven(Tick) const override { return !has_ended(); }

  [[nodiscard]] const WheeledPair& pair() const { return pair_; }
  /// Where it thinks it is, by the counts.
  [[nodiscard]] const CartPose& thinks() const { return pose_; }
  /// Share of its speed that both wheels go with now, and the least so far.
  [[nodiscard]] double pace() const { return pace_; }
  [[nodiscard]] double slowest_pace() const { return slowest_; }

  [[nodiscard]] Tick next_act() const override { return next_act_; }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  struct Wheel {
    DutyMover* mover = nullptr;
    double counts_per_metre = 0.0;       // forwards, with sign
    double rolled_per_turn = 0.0;        // m
    std::optional<std::int64_t> from{};  // count from which ways are counted
    std::optional<double> wanted{};      // m, of all ways so far; nothing: it stands where it came to rest
    double rolled = 0.0;                 // m, by the count
    std::shared_ptr<MotionRecord> record{};
  };
  void end(Tick now, MotionStatus status);
  void end(Tick now, const Why& why);
  void let_go();
  void look_at_wheels();
  void set_pace(Tick now);

  WheeledPair pair_;
  double ticks_per_second_;
  Tick stride_;
  Wheel left_;
  Wheel right_;
  CartWheels wheels_;
  CartPose pose_{};
  double pace_ = 1.0;
  double slowest_ = 1.0;
  Tick slow_since_ = -1;
  Tick next_act_ = 0;
  std::shared_ptr<MotionRecord> rolls_{};  // on, at a speed
};

}  // namespace cogstride
