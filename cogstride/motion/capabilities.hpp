// What a mover can do, whichever kind it is: a script, a hand or a leader asks for one of these and gets
// null where the mover cannot.
#pragma once

#include <memory>
#include <optional>
#include <string>

#include "cogstride/lines/lines.hpp"
#include "cogstride/motion/motion_record.hpp"
#include "cogstride/motion/orders.hpp"

namespace cogstride {

class Commanded;
class Follow;
struct Follower;

/// What a mover can do. @throws RangeError when it cannot
/// @param who  its name
/// @param what  "be homed"
template <class Capability>
[[nodiscard]] Capability& able(const std::string& who, Capability* capability, const char* what) {
  if (capability == nullptr) throw RangeError(who + ": cannot " + what);
  return *capability;
}

/// Goes to places of its output.
class Places {
 public:
  virtual ~Places() = default;
  /// @throws RangeError when it is refused; what is on goes on
  virtual std::shared_ptr<MotionRecord> move(Lines& lines, const MoveOrder& order) = 0;
  /// Where it was sent or is on its way through, at an instant; nothing when its place is not known.
  [[nodiscard]] virtual std::optional<OutputPosition> position(Tick now) const = 0;
};

/// Can be given another order in mid-motion, from the state that it is in.
class Redirects {
 public:
  virtual ~Redirects() = default;
  /// The motion that is on gets a new target, a new speed or new limits; an order without a target keeps that
  /// it has. A way is counted from that target. Its record ends as cancelled, the new one is running.
  /// @throws RangeError, with the motion going on as it was, when the order is refused, no move or run is on,
  /// or others are queued behind it
  virtual std::shared_ptr<MotionRecord> redirect(Lines& lines, const MoveOrder& order) = 0;
  virtual std::shared_ptr<MotionRecord> redirect(Lines& lines, const SpeedOrder& order) = 0;
  /// Whether a motion is on that can be.
  [[nodiscard]] virtual bool can_be_redirected() const = 0;
};

/// Has moves that wait until they are told when to begin and how long to take.
class Arrivals {
 public:
  virtual ~Arrivals() = default;
  /// Queues a move that stands by once its turn has come. @throws RangeError when it is refused
  virtual std::shared_ptr<MotionRecord> move_when_told(Lines& lines, const MoveOrder& order) = 0;
  /// Whether its turn has come, and it waits to be told.
  [[nodiscard]] virtual bool stands_by(const MotionRecord& motion) const = 0;
  struct Least {
    double seconds;  ///< that it takes from rest to rest
    Tick start;      ///< from which its first step can go out
  };
  /// Wakes what has to wake up for the one that stands by, and says how soon and how fast it could go;
  /// nothing when it has become impossible.
  virtual std::optional<Least> get_ready(Lines& lines) = 0;
  /// The one that stands by begins: from `how.start` on it takes `how.seconds`, no less than get_ready()
  /// said.
  virtual void begin(Lines& lines, const Least& how) = 0;
};

/// Turns at a speed that it keeps.
class Speeds {
 public:
  virtual ~Speeds() = default;
  /// For a time or a way, or on until told otherwise. @throws RangeError when it is refused
  virtual std::shared_ptr<MotionRecord> spin(Lines& lines, const SpeedOrder& order) = 0;
  /// So much faster the way it turns (slower where `by` is below 0). @throws RangeError when it keeps none
  virtual std::shared_ptr<MotionRecord> change_speed(Lines& lines, OutputSpeed by) = 0;
  /// The same speed the other way. @throws RangeError when it keeps none
  virtual std::shared_ptr<MotionRecord> reverse_speed(Lines& lines) = 0;
};

/// Is driven by a share of what its supply can: a duty, a throttle.
class Duties {
 public:
  virtual ~Duties() = default;
  /// Done when the duty is reached, or with `lasts` when it is back at none. @throws RangeError when it is
  /// refused; what is on goes on
  virtual std::shared_ptr<MotionRecord> spin(Lines& lines, const DutyOrder& order) = 0;
  /// So much more the way it turns (less where `by` is below 0). @throws RangeError when it has none
  virtual std::shared_ptr<MotionRecord> change(Lines& lines, Fraction by) = 0;
  /// The same the other way. @throws RangeError when it has none
  virtual std::shared_ptr<MotionRecord> reverse(Lines& lines, std::optional<ExactTime> ramp) = 0;
  /// Down to none.
  virtual std::shared_ptr<MotionRecord> stop(Lines& lines, std::optional<ExactTime> ramp) = 0;
  /// No drive at once. @throws RangeError when it cannot be slowed so
  virtual void let(Lines& lines, SlowsBy how) = 0;
};

/// Has a zero that is found at a sensor, and a place that is known from then on.
class Zeroed {
 public:
  virtual ~Zeroed() = default;
  virtual std::shared_ptr<MotionRecord> home() = 0;
  [[nodiscard]] virtual bool is_homing() const = 0;
  /// Whether its zero has been found, or need not be looked for.
  [[nodiscard]] virtual bool knows_zero() const = 0;
  /// Something has shown that it does not stand where it was thought to.
  virtual void forget_position() = 0;
  /// It is known to stand there without having been homed. @throws RangeError when it cannot
  virtual void believe(OutputPosition position) = 0;
  /// The short way to where it stands without current as with it; nothing when it stands there.
  [[nodiscard]] virtual std::optional<MoveOrder> to_whole_period() const = 0;
  /// From end to end of its travel, by its two switches. @throws RangeError when it has none
  virtual std::shared_ptr<MotionRecord> measure() = 0;
  /// Towards an end, by hand. @param way  +1 or -1
  virtual std::shared_ptr<MotionRecord> jog(Lines& lines, int way, const OutputSpeed& speed,
                                            bool past_limits) = 0;
  /// A little way by hand, from where the last one ends; its zero need not be known.
  /// @throws RangeError as move(), and while a motion is on that it cannot be added to
  virtual std::shared_ptr<MotionRecord> nudge(Lines& lines, const OutputPosition& by,
                                              const std::optional<OutputSpeed>& speed) = 0;
  /// From now on the travel ends where it stands. @return that place
  virtual OutputPosition teach_far_limit() = 0;
};

/// Pulls with a torque, at whatever speed that gives.
class Torques {
 public:
  virtual ~Torques() = default;
  /// Of its motor, until told otherwise; done once it has it. @throws RangeError when it cannot be had
  virtual std::shared_ptr<MotionRecord> pull(Lines& lines, Torque torque) = 0;
};

/// Has to be armed before it may be driven.
class Arming {
 public:
  virtual ~Arming() = default;
  virtual std::shared_ptr<MotionRecord> arm(Lines& lines) = 0;
  [[nodiscard]] virtual bool is_armed() const = 0;
};

/// Goes along with others, by an exact ratio.
class Follows {
 public:
  virtual ~Follows() = default;
  /// What it can be told apart by: its steps, or counts of its own encoder, of a metre or a turn; limits in
  /// them. @throws RangeError when it cannot follow: it has no encoder
  [[nodiscard]] virtual Follower follower() const = 0;
  /// From now on, or once its turn has come. The record ends as done when it was let go, or its leaders stand
  /// where it was to end with them.
  /// @throws RangeError when it is refused
  virtual std::shared_ptr<MotionRecord> follow(Lines& lines, std::unique_ptr<Follow> follow,
                                               std::string what) = 0;
  /// What it follows by, now; null when it follows nothing.
  [[nodiscard]] virtual Follow* following() = 0;
  /// To rest on its own ramp; its record ends as done. @throws RangeError when it follows nothing
  virtual void let_go(Lines& lines) = 0;
};

/// Goes ways on the floor.
class Ways {
 public:
  virtual ~Ways() = default;
  virtual std::shared_ptr<MotionRecord> drive(Lines& lines, const CartOrder& order) = 0;
  /// At a speed of the middle between the wheels and a turn to the left, from now on until it is stopped or
  /// told another; on ramps of both wheels that end together. @param speed  m/s @param turn  rad/s
  /// @throws RangeError when it is refused: over what a wheel can, or on its way otherwise
  virtual std::shared_ptr<MotionRecord> roll(Lines& lines, double speed, double turn) = 0;
};

}  // namespace cogstride
