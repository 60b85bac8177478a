// Motions of one stepper mechanism: queued in order, carried out on its lines.
//
// Its commanded position is an exact fraction of a metre or turn, and its steps are that position's rounded
// image: a thousand moves of 0.07 mm end at exactly 70 mm.
#pragma once

#include <deque>
#include <memory>
#include <optional>

#include "cogstride/motion/homing_sequence.hpp"
#include "cogstride/motion/motion_record.hpp"
#include "cogstride/motion/participant.hpp"

namespace cogstride {

class StepperMover final : public Participant {
 public:
  StepperMover(const Mechanism& mechanism, MechanismId id, const Controller& controller);

  /// Notes of what motions do, as they do it.
  void on_note(NoteSink sink) { sink_ = std::move(sink); }

  /// Queues a homing. @throws RangeError when the mechanism cannot be homed.
  std::shared_ptr<MotionRecord> home();
  /// Queues a move. @throws RangeError, with nothing queued, when it is refused: outside the travel, over a
  /// limit, or with no position known (a mechanism with a gate is homed first).
  std::shared_ptr<MotionRecord> move(const MoveOrder& order);
  /// Takes a queued motion back, or brakes the running one on a ramp; those queued behind it go on.
  void cancel(Lines& lines, const MotionRecord& motion);

  /// All lines were put at rest: motions that had not ended are faulted, and the position is not believed any
  /// more where a motion was on.
  void lines_were_cut(Lines& lines);

  [[nodiscard]] Tick next_act() const override;
  void act(Lines& lines, std::span<const Reading> readings) override;

  [[nodiscard]] const Mechanism& mechanism() const { return mechanism_; }
  [[nodiscard]] const StepStream& stream() const { return stream_; }
  [[nodiscard]] bool is_idle() const { return queue_.empty(); }
  /// The commanded position, known since start (no gate) or homing; the target while a move is on.
  [[nodiscard]] std::optional<OutputPosition> position() const;
  /// The step count, since the lines were opened, of output position 0. Nothing before homing.
  [[nodiscard]] std::optional<std::int64_t> origin() const { return origin_; }

 private:
  struct Order {
    std::shared_ptr<MotionRecord> record;
    std::optional<MoveOrder> move;  // nothing: homing
  };

  std::shared_ptr<MotionRecord> enqueue(std::string what, std::optional<MoveOrder> move);
  void begin_next(Lines& lines);
  void begin_move(Lines& lines, const MoveOrder& order);
  void homing_acted(Lines& lines);
  void finish(Lines& lines, MotionStatus status, std::string fault = {});
  void stand_at(std::int64_t step);
  void note(Tick at, MotionNote::Kind kind, std::string text) const;
  [[nodiscard]] OutputPosition position_of(std::int64_t step) const;

  Mechanism mechanism_;
  Controller controller_;
  Ratio steps_per_base_;
  StepStream stream_;
  std::deque<Order> queue_;  // the first is running once begun
  std::optional<HomingSequence> homing_;
  bool braking_ = false;
  std::optional<std::int64_t> origin_;
  OutputPosition commanded_;                 // where the running motion ends
  std::optional<OutputPosition> after_all_;  // where the last queued motion will end, as far as is known
  RampLimits running_limits_;
  NoteSink sink_;
};

}  // namespace cogstride
