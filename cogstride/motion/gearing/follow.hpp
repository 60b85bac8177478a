// One mechanism on its way behind its leaders: when it sets off, whether it goes along, how far it is behind
// and why, and when it is over. It knows no lines: a mover asks it where to be.
#pragma once

#include <deque>
#include <memory>
#include <optional>
#include <string>
#include <utility>

#include "cogstride/mechanism/output.hpp"
#include "cogstride/motion/gearing/gear.hpp"
#include "cogstride/trace/verdict.hpp"

namespace cogstride {

/// How a follower joins and leaves.
struct FollowHow {
  /// What it missed on its way up is made up for; else it belongs where it is once it goes along.
  bool catches_up = true;
  /// It sets off when its first leader passes this count; it belongs where it stands at just that count.
  std::optional<Ratio> from_count{};
  /// Counts after which a place of the first leader comes back: a turn. Nothing where it never does.
  std::optional<Ratio> counts_round{};
  Ratio counts_per_base{1};                      ///< of the first leader, for a turn or a metre of its output
  OutputKind leaders_kind = OutputKind::rotary;  ///< of the first leader's output
  bool ends_with_leader = false;                 ///< it is over when its leaders have turned and stand
  std::optional<double> may_fall_behind{};       ///< grains; nothing: falling behind is a fault
};

/// One that follows, in its grains.
struct Follower {
  std::string name{};
  OutputKind kind = OutputKind::rotary;
  Ratio grains_per_base{1};
  std::string grain = "steps";                        ///< what its grains are called
  std::int64_t zero = 0;                              ///< grain at place 0 of its output
  RampLimits limits{};                                ///< in grains
  std::optional<std::pair<double, double>> travel{};  ///< in grains
  Tick looks_each = 0;                                ///< at its leaders; 0: as often as its lines bear
};

class Follow {
 public:
  Follow(std::unique_ptr<Gear> gear, FollowHow how, Follower follower, std::string leaders);

  [[nodiscard]] Gear& gear() { return *gear_; }
  [[nodiscard]] const Gear& gear() const { return *gear_; }
  [[nodiscard]] const std::string& leaders() const { return leaders_; }
  [[nodiscard]] const Follower& follower() const { return follower_; }

  /// As Gear does. Until it goes along again, it is on its way there as it was at first.
  void change(Tick now, const std::vector<Ratio>& per_count) {
    gear_->change(now, per_count);
    goes_along_ = false;
  }
  void change_ends(Tick now, Ratio low, Ratio high) {
    gear_->change_ends(now, low, high);
    goes_along_ = false;
  }
  void shift(Ratio grains) {
    gear_->shift(grains);
    goes_along_ = false;
  }

  /// Something was read, or a look is due.
  /// @param from  the instant from which on something can be done @param is  where the follower will be then
  /// @return where it is to be at `from`, and how fast; nothing: there is nothing new
  std::optional<Course> look(Tick now, std::span<const Reading> readings, Tick from, const MotionState& is);

  /// It has come to its leaders, and goes along.
  [[nodiscard]] bool goes_along() const { return goes_along_; }
  /// Its leaders have turned and stand, it stands where it belongs, and it was to be over then.
  [[nodiscard]] bool is_over() const { return is_over_; }
  /// Whether its first leader has gone so far since it set off, either way. @param way  turns or m
  [[nodiscard]] bool has_followed(Ratio way) const;
  /// What its first leader has gone since then: turns or m, exactly.
  [[nodiscard]] Ratio followed() const {
    return gear_->is_engaged() ? Ratio(gear_->counted()) / how_.counts_per_base : Ratio(0);
  }
  /// Why it cannot go on; "" as long as it can.
  [[nodiscard]] const std::string& fault() const { return fault_; }
  /// What is worth telling, once each.
  [[nodiscard]] std::string take_news() { return std::exchange(news_, {}); }
  /// Grains by which it was behind its leaders when it looked last: all of it, and what of that it keeps by
  /// itself; the rest is because of its limits.
  struct Behind {
    double all = 0.0;
    Lag kept{};
    double held_up = 0.0;
  };
  [[nodiscard]] const Behind& behind() const { return behind_; }
  /// "spindle 12.31 turns on, off by 0.4 steps (1.6 um)": how far its first leader has come since it set off,
  /// and how far it is from where it belongs.
  [[nodiscard]] std::string figures() const;
  /// The most of that while it went along.
  [[nodiscard]] double most_held_up() const { return most_held_up_; }
  /// What came of it, as a row and figures of its mover's.
  void add_to(MoverVerdict& verdict) const;

 private:
  [[nodiscard]] bool sets_off(Tick now, const MotionState& is);
  [[nodiscard]] bool comes_to_engage(Tick now, Tick from, const MotionState& is);
  [[nodiscard]] Course course_soon_met(Tick now, Tick from, const MotionState& is) const;
  [[nodiscard]] Course never_beyond(Course course, const MotionState& is) const;
  void watch(const Course& course, const MotionState& is, bool leaders_stand);
  [[nodiscard]] std::string text(double grains, int per) const;

  std::unique_ptr<Gear> gear_;
  FollowHow how_;
  Follower follower_;
  std::string leaders_;
  std::optional<std::int64_t> count_before_{};
  bool matches_speed_ = false;  // and belongs nowhere yet
  bool goes_along_ = false;
  bool has_moved_ = false;
  bool is_over_ = false;
  bool told_too_fast_ = false;
  bool told_behind_ = false;
  Behind behind_{};
  double told_late_ = 0.0;     // s until what a leader does can be followed, where its readings come late
  std::deque<double> fast_{};  // its speeds, at the looks of that time
  double held_up_ = 0.0;
  double most_held_up_ = 0.0;
  std::string fault_{};
  std::string news_{};
};

}  // namespace cogstride
