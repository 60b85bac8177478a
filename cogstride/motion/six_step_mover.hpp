// Motions of a bare brushless motor by six steps: its Hall sensors say which row of the table is on, and
// count for the loop that holds its speed (motion/speed_hold.hpp). Without sensors it is stepped open loop:
// held in one row first (aligned), then taken on in ever shorter steps, as fast as torque and inertia allow.
//
// An impossible Hall code turns all gates off at once and ends what is on, as does a code that jumps.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>

#include "cogstride/board/six_gate.hpp"
#include "cogstride/motion/count_speed.hpp"
#include "cogstride/motion/motion_record.hpp"
#include "cogstride/motion/participant.hpp"
#include "cogstride/motion/speed_hold.hpp"
#include "cogstride/plan/commutation.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/plan/open_loop_start.hpp"

namespace cogstride {

class SixStepMover final : public Participant {
 public:
  /// @throws RangeError when it is no bare brushless motor on a six-gate inverter
  SixStepMover(const Mechanism& mechanism, MechanismId id, PwmGroup group, const Controller& controller);
  SixStepMover(const SixStepMover&) = delete;
  SixStepMover& operator=(const SixStepMover&) = delete;

  void on_note(NoteSink sink) { sink_ = std::move(sink); }
  void on_begin(std::function<std::string(const Mechanism&)> obstacle) { obstacle_ = std::move(obstacle); }
  void on_failure(std::function<void(const std::string&)> listener) { failure_ = std::move(listener); }

  /// To a speed, for a time from rest to rest or until told otherwise. Done when it has come to it, or with
  /// `lasts` when it stands again. @throws RangeError when it is refused; what is on goes on
  std::shared_ptr<MotionRecord> spin(Lines& lines, const SpeedOrder& order);
  /// So much faster the way it is held to turn (slower where `by` is below 0). @throws RangeError when it
  /// holds no speed, or it cannot be had
  std::shared_ptr<MotionRecord> change_speed(Lines& lines, OutputSpeed by);
  std::shared_ptr<MotionRecord> reverse(Lines& lines);
  /// Down by its loop and its friction, and all gates off; done when its Halls have stood for a while.
  /// Without sensors all gates go off at once, and it is done.
  std::shared_ptr<MotionRecord> stop(Lines& lines);
  void halt(Lines& lines, const std::string& why);
  /// All lines were put at rest.
  void lines_were_cut(Tick now, const std::string& why = {});

  [[nodiscard]] const Mechanism& mechanism() const { return mechanism_; }
  [[nodiscard]] const GateDriver& driver() const { return driver_; }
  [[nodiscard]] bool is_idle() const { return record_ == nullptr; }
  [[nodiscard]] bool has_halls() const { return halls_.has_value(); }
  /// Of the output, m/s or turns/s, that is wanted now; 0 when nothing is.
  [[nodiscard]] double wanted_speed(Tick now) const;
  /// The duty that is given, -1 to 1.
  [[nodiscard]] double duty() const { return duty_; }
  /// Of the output, by its Halls. Turns/s.
  [[nodiscard]] double asked_speed() const {
    return state_ == State::by_halls && !stops_ ? hold_->asked_speed() : 0.0;
  }
  /// Sixths of an electrical turn by its Halls since the lines were opened.
  [[nodiscard]] std::int64_t count() const { return count_; }

  [[nodiscard]] Tick next_act() const override { return asked_ ? next_act_ : 0; }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  static constexpr int cannot_be = -1;
  static constexpr int not_known = -2;
  enum class State : std::uint8_t { off, by_halls, runs_out, open_loop };
  void take_edges(Lines& lines, std::span<const Reading> readings);
  void commutate(Lines& lines);
  void look(Lines& lines);
  void step(Lines& lines);
  void run_out(Lines& lines);
  std::shared_ptr<MotionRecord> hold(Lines& lines, double speed, std::string what);
  void end(Lines& lines, MotionStatus status, const std::string& fault = {});
  void fail(Lines& lines, const std::string& why);
  void finish(Tick now, MotionStatus status, const std::string& fault = {});
  void note(Tick at, MotionNote::Kind kind, const std::string& text) const;
  [[nodiscard]] double seconds(Tick ticks) const { return static_cast<double>(ticks) / ticks_per_second_; }

  Mechanism mechanism_;
  GateDriver driver_;
  chip::SixStepTable table_;
  double ticks_per_second_;
  Tick stride_;
  std::optional<HallSet> halls_{};
  std::optional<SpeedHold> hold_{};
  std::optional<OpenLoopStart> open_loop_{};

  State state_ = State::off;
  bool asked_ = false;
  std::array<std::optional<bool>, 3> levels_{};
  int sector_ = not_known;  // by the Halls, or one of the two below
  std::int64_t count_ = 0;
  Tick counted_at_ = 0;
  CountSpeed speed_;
  double duty_ = 0.0;
  bool is_whole_ = true;  // the row that is wanted has been put
  bool stops_ = false;
  Tick stops_at_ = never;
  std::optional<double> acceleration_{};
  // Open loop
  std::int64_t steps_ = 0;
  int way_ = 1;
  Tick began_ = 0;
  double asked_speed_ = 0.0;  // electrical sixths a second

  Tick next_act_ = never;
  std::shared_ptr<MotionRecord> record_{};
  NoteSink sink_;
  std::function<std::string(const Mechanism&)> obstacle_;
  std::function<void(const std::string&)> failure_;
};

/// What speeds it can be given, to be asked ahead.
class SixStepLimits {
 public:
  SixStepLimits(const Mechanism& mechanism, std::optional<SpeedHold> hold,
                std::optional<OpenLoopStart> open_loop)
      : mechanism_(&mechanism), hold_(std::move(hold)), open_loop_(open_loop) {}
  /// @throws RangeError with the figure that can be had
  void require(OutputSpeed speed) const;
  void require(OutputAcceleration acceleration) const;

 private:
  const Mechanism* mechanism_;
  std::optional<SpeedHold> hold_;
  std::optional<OpenLoopStart> open_loop_;
};

/// The mechanism must outlive it. @throws RangeError when it is no bare brushless motor behind six gates
[[nodiscard]] SixStepLimits six_step_limits(const Mechanism& mechanism, const Controller& controller);

}  // namespace cogstride
