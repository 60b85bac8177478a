// Orders by hand, while a bench goes on: a line at a time, each answered once.
//
//   Operation by_hand(bench);
//   by_hand.take("move traverse to 40 mm", [](const Operation::Answer& answer) { ... });
//   bench.run(by_hand, [&] { return by_hand.has_ended(); });
//
// A line is a statement of the script language, or one of these: `jog traverse on at 20 mm/s` (`back`: the
// other way), which goes on as long as it is said again in time, and else, and at `stop traverse`, comes to
// rest on its ramp; `stop everything`, after which nothing but `clear` is taken; `clear`, which moves
// nothing; and `end`, after which what is on its way comes to its end.
//
// Threads: all of it is the bench's thread's, where take() is called by a post; but stop_everything(), which
// anybody may call.
#pragma once

#include <atomic>
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "cogstride/bench/bench.hpp"
#include "cogstride/motion/cast.hpp"
#include "cogstride/motion/jogging.hpp"
#include "cogstride/motion/participant.hpp"
#include "cogstride/script/foreseen.hpp"
#include "cogstride/script/script.hpp"

namespace cogstride {

class ScriptPlayer;

class Operation final : public Participant {
 public:
  struct Answer {
    enum class Kind { done, refused, superseded, faulted };
    Kind kind = Kind::done;
    std::string words{};  ///< why; of one that is done what there is to say, or nothing
    Tick at = 0;
  };
  using Told = std::function<void(const Answer&)>;
  struct Options {
    /// A jog that is not said again for so long ends by itself.
    Time jog_lasts{0.3, units::s};
  };

  /// @param bench  must outlive it
  explicit Operation(Bench& bench);
  Operation(Bench& bench, const Options& options);
  ~Operation() override;

  /// One line. @param told  its answer, once: now or later, from the bench's thread
  void take(const std::string& line, Told told);
  /// Everything is stopped as the rig says of an interrupt, before any order that waits; only `clear` is
  /// taken from now on. From any thread or signal handler.
  void stop_everything() noexcept;
  [[nodiscard]] bool is_stopped() const { return stopped_.load(std::memory_order_acquire); }
  /// `end` was ordered, and nothing is on its way any more.
  [[nodiscard]] bool has_ended() const;
  /// What is jogged now: "traverse on".
  [[nodiscard]] std::vector<std::string> held() const;

  [[nodiscard]] Tick next_act() const override;
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  struct Order;
  struct Jog;
  /// Whose statements known_ names.
  struct Kept {
    std::shared_ptr<const Script> spins{};
    std::shared_ptr<const Script> follows{};
  };
  void take_statement(const std::string& line, const Told& told);
  void take_jog(const std::string& line, const Told& told);
  void take_stop(const Told& told);
  void answer(const Told& told, Answer::Kind kind, std::string words = {}) const;
  void drop_all();
  [[nodiscard]] Tick now() const;
  void look_where_all_stand();
  void keep(const std::shared_ptr<const Script>& script);

  Bench& bench_;
  Options options_;
  Cast cast_;
  Foreseen known_;
  std::vector<std::unique_ptr<Order>> orders_;
  std::vector<Kept> kept_;           // by mechanism
  std::map<std::size_t, Jog> jogs_;  // by mechanism
  std::atomic<bool> stopped_{false};
  bool ends_ = false;
};

/// "done", "refused"
[[nodiscard]] const char* to_text(Operation::Answer::Kind kind);

}  // namespace cogstride
