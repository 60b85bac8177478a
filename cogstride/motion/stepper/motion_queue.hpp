// The motions that a mechanism was ordered to make, in their order; the first is on once it has begun.
//
// It foresees where each will end, so that the next is refused, when it must be, as it is ordered.
#pragma once

#include <deque>
#include <memory>
#include <optional>
#include <string>
#include <variant>

#include "cogstride/motion/motion_record.hpp"
#include "cogstride/motion/orders.hpp"
#include "cogstride/plan/move.hpp"

namespace cogstride {

class Follow;

struct HomeOrder {};
struct MeasureOrder {};  ///< the travel between two switches
/// Along with leaders, until told otherwise.
struct FollowOrder {
  std::shared_ptr<Follow> follow{};
};

struct QueuedMotion {
  std::shared_ptr<MotionRecord> record{};
  std::variant<HomeOrder, MeasureOrder, MoveOrder, SpeedOrder, FollowOrder> what;
  RampLimits limits{};           ///< of a move or a spin, in steps
  OutputPosition ends_at{};      ///< as far as is known; a spin without end: where it began
  std::string impossible_now{};  ///< why it cannot be had any more, since something before it ended elsewhere
  bool waits_to_be_told = false;  ///< when to begin
  bool stands_by = false;         ///< the same, and its turn has come
};

/// The end of the travel that a motion at a speed heads for; nothing where it is endless.
[[nodiscard]] std::optional<OutputPosition> travel_end(const Mechanism& mechanism, const SpeedOrder& order);

class MotionQueue {
 public:
  /// Both must outlive it.
  MotionQueue(const Mechanism& mechanism, const Controller& controller)
      : mechanism_(mechanism), controller_(controller) {}

  [[nodiscard]] bool is_empty() const { return motions_.empty(); }
  [[nodiscard]] std::size_t size() const { return motions_.size(); }
  [[nodiscard]] QueuedMotion& first() { return motions_.front(); }
  [[nodiscard]] const QueuedMotion& first() const { return motions_.front(); }
  [[nodiscard]] QueuedMotion& last() { return motions_.back(); }
  [[nodiscard]] const QueuedMotion& last() const { return motions_.back(); }
  [[nodiscard]] bool first_is_running() const {
    return !is_empty() && first().record->status == MotionStatus::running;
  }

  /// Where all of it will end. @throws RangeError when that is not known, or when the last has no end
  [[nodiscard]] OutputPosition end() const;
  /// Works out again where it will end, from where the first ends if that is on, else from where it stands.
  void foresee(std::optional<OutputPosition> from);

  std::shared_ptr<MotionRecord> add(std::string what, QueuedMotion motion);
  /// The running motion was redirected: the other takes its place, begun now.
  std::shared_ptr<MotionRecord> replace_first(std::string what, QueuedMotion motion, Tick now);
  /// Takes a motion that has not begun back. @return whether it was in the queue
  bool take_back(const MotionRecord& motion, Tick now);
  /// The first is over. @return its record
  std::shared_ptr<MotionRecord> end_first(MotionStatus status, Tick now, std::string fault);
  /// Takes all of it back.
  void drop(Tick now);

 private:
  const Mechanism& mechanism_;
  const Controller& controller_;
  std::deque<QueuedMotion> motions_;
  std::optional<OutputPosition> end_;  // of the last, as far as is known
};

}  // namespace cogstride
