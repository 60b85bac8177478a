// Orders by hand, while a bench goes on: a line at a time, each answered once.
//
//   Operation by_hand(bench);
//   by_hand.take("move traverse to 40 mm", "keyboard", [](const Operation::Answer& answer) { ... });
//   bench.run(by_hand, [&] { return by_hand.has_ended(); });
//
// A line is a statement of the script language or one of the orders that a hand needs (docs/by-hand.md):
// `jog`, `nudge`, `set`, `zero NAME here`, `keep`, `play FILE`, `pause`, `resume`, `end script`, `stop
// everything`, `clear`, `end`.
//
// Who moves a mechanism has it until it stands: others may stop it, and no more. An order to one's own is
// given to the motion that is on, where it can be; else it comes after it.
//
// Threads: all of it is the bench's thread's, where take() is called by a post; but stop_everything() and
// is_stopped(), which anybody may call.
#pragma once

#include <atomic>
#include <deque>
#include <filesystem>
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
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/script.hpp"
#include "cogstride/script/source_line.hpp"
#include "cogstride/session/operation_state.hpp"

namespace cogstride {

class ScriptPlayer;

/// What has been set by hand, for a rig to keep.
struct SetByHand {
  std::string mechanism{};
  ByHand by_hand{};
  std::optional<OutputPosition> far_limit{};  ///< taught
};

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
    /// Where scripts lie that are played by their names. Empty: none are.
    std::filesystem::path scripts{};
    /// Writes what has been set into the rig, elsewhere than in the bench's thread, which does not wait for a
    /// disc; and posts what became of it.
    std::function<void(const std::vector<SetByHand>&, Told said)> keep{};
  };

  /// @param bench  must outlive it
  explicit Operation(Bench& bench);
  Operation(Bench& bench, Options options);
  ~Operation() override;

  /// One line. @param by  who orders, such as "keyboard" @param told  its answer, once: now or later, from
  /// the bench's thread
  void take(const std::string& line, const std::string& by, Told told);
  /// The same of a line that cannot be read: it is refused in its turn.
  void take_unreadable(const std::string& line, const std::string& by, std::string why, Told told);
  /// Why a line is refused however things are; "" when it may be carried out some time.
  [[nodiscard]] std::string why_never(const std::string& line);
  /// A way in is gone: what it holds comes to rest, or all does (`operate.when_lost`).
  void lost(const std::string& by);
  /// Everything is stopped as the rig says of an interrupt, before any order that waits; only `clear` is
  /// taken from now on. From any thread or signal handler.
  void stop_everything() noexcept { bench_.request_stop(); }
  [[nodiscard]] bool is_stopped() const { return stopped_.load(std::memory_order_acquire); }
  /// How often orders were taken again after a stop of everything.
  [[nodiscard]] std::int64_t times_cleared() const { return times_cleared_; }
  /// `end` was ordered, and nothing is on its way any more.
  [[nodiscard]] bool has_ended() const;
  /// What is jogged now: "traverse on".
  [[nodiscard]] std::vector<std::string> held() const;
  [[nodiscard]] OperationState state() const;
  /// Where everything is, told each so often from the bench's thread until `show` is empty.
  void show(const std::string& by, ExactTime every, std::function<void(const OperationState&)> show);

  [[nodiscard]] Tick next_act() const override;
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  struct Order;
  /// A mechanism that goes as long as somebody asks for it.
  struct Jog {
    Jogging jogging;
    std::string pace{};  ///< as it was written
    int way = 0;
    Tick lapses = 0;
    Tick looks = 0;  ///< whether it stands
  };
  /// What is done in turn is done in the same one whenever it is played again.
  struct InRigOrder {
    [[nodiscard]] bool operator()(const Mover* a, const Mover* b) const;
  };
  /// Who has a mechanism.
  struct Claim {
    std::string by{};
    Tick since = 0;
  };
  struct Shown {
    Tick every = 0;
    Tick next = 0;
    std::function<void(const OperationState&)> show{};
  };
  struct Incoming {
    std::string line{};
    std::string by{};
    Told told{};
    std::string wrong{};  ///< why it cannot be read
  };
  /// Whose statements known_ names.
  struct Kept {
    std::shared_ptr<const Script> spins{};
    std::shared_ptr<const Script> follows{};
  };
  void latch(const std::string& why);
  void drop_all(const std::string& why);
  [[nodiscard]] std::deque<Incoming>::iterator next_value_after(const Incoming& value);
  void begin_next(Lines& lines);
  void begin(Lines& lines, const Incoming& incoming);
  [[nodiscard]] bool follows(const SourceLine& words) const;
  bool take_own(Lines* on, const Incoming& incoming, const SourceLine& words);
  void begin_order(Lines& lines, const Incoming& incoming, const SourceLine& words);
  void take_statement(Lines& lines, const Incoming& incoming);
  void take_jog(Lines* on, const Incoming& incoming, LineReader& reader);
  void take_nudge(Lines* on, const Incoming& incoming, LineReader& reader);
  void take_setting(Lines* on, const Incoming& incoming, LineReader& reader);
  void take_zero(Lines* on, const Incoming& incoming, LineReader& reader);
  void take_script(Lines* on, const Incoming& incoming, LineReader& reader);
  void end_script(Lines& lines, const std::string& why);
  void keep_settings(const Incoming& incoming);
  void answer(const Told& told, Answer::Kind kind, std::string words = {}) const;
  void refuse(const Incoming& incoming, std::string why) const;
  [[nodiscard]] Tick now() const;
  void look_where_all_stand();
  void keep(const std::shared_ptr<const Script>& script);
  void go_on_jogging(Lines& lines);
  void go_on_with(Lines& lines, std::span<const Reading> readings);
  void supersede(const std::vector<Mover*>& movers, const std::string& line, Order* merged);
  void finish(const Order& order);
  void bring_to_rest(Lines& lines, const std::string& by);
  void let_go_what_stands();
  void note_held(Lines& lines, const Incoming& incoming);
  void require_let_go(Lines& lines, const std::string& by, const std::string& name);
  [[nodiscard]] std::vector<Mover*> movers_of(std::span<const Statement> statements, bool moved) const;
  void require_free(const std::vector<Mover*>& movers, const std::string& by) const;
  void claim(const std::vector<Mover*>& movers, const std::string& by);
  [[nodiscard]] std::vector<Stretch> stretches() const;

  Bench& bench_;
  Options options_;
  Cast cast_;
  Foreseen known_;
  std::deque<Incoming> incoming_;
  std::vector<std::unique_ptr<Order>> orders_;
  std::unique_ptr<Order> script_;  // the one that is played
  std::vector<Kept> kept_;         // by mechanism
  std::vector<ByHand> settings_;   // by mechanism
  std::vector<bool> is_set_;       // by hand, in this session
  std::map<std::size_t, TaughtLimit> taught_;
  std::map<Mover*, Jog, InRigOrder> jogs_;
  std::map<Mover*, Claim, InRigOrder> claims_;
  /// Holds that a stop of everything ended, by who held and what, and when each was said last: one that is
  /// said on and on through the stop and its clearing was never let go.
  std::map<std::pair<std::string, std::string>, Tick> held_through_;
  std::map<std::string, Shown> shown_;
  std::vector<std::string> lost_;  // ways in that are gone, and what they hold is not at rest
  Tick claim_lasts_;               // at the least
  Tick hold_lasts_;                // when it is not said again
  Tick looks_every_;               // whether what is held stands
  Tick looks_at_claims_ = 0;
  std::string fault_;  // that stopped everything, or the last
  std::int64_t times_stopped_ = 0;
  std::int64_t times_cleared_ = 0;
  std::atomic<bool> stopped_{false};
  bool ends_ = false;
};

/// "done", "refused"
[[nodiscard]] const char* to_text(Operation::Answer::Kind kind);

}  // namespace cogstride
