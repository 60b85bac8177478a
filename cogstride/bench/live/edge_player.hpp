// Plays live lines: takes commands, writes each edge when it is due, reports what was written and what was
// read.
//
// One thread calls turn() again and again; it knows no other thread but through two queues. It sleeps towards
// the next edge and spins the last stretch.
//
// An edge that would be late goes out as soon as it may. Between two changes of one mechanism's lines there
// is always what was planned, or what its board needs if that is less: a late edge is never squeezed against
// the next. Past the bound time stands still for all lines by as much as the edge was late, so that every
// step still goes out, in its order and at its distance; that is reported, and whoever plans stops on a ramp.
//
// What must stop motion whatever planning does, the player acts on by itself: at an edge of a line that it
// was told of it puts all lines at rest, at once, or when planning has not answered in time; and it does so
// when something moves and planning gives no sign of life. From then on it plays nothing until planning has
// cut the lines itself.
//
// A duty is played edge by edge like all else, unless hardware behind the port makes it: then it is told the
// share.
#pragma once

#include <atomic>
#include <boost/lockfree/spsc_queue.hpp>
#include <optional>
#include <utility>
#include <vector>

#include "cogstride/bench/live/lateness.hpp"
#include "cogstride/bench/live/live_messages.hpp"
#include "cogstride/lines/cut_watch.hpp"
#include "cogstride/lines/pulse_queue.hpp"
#include "cogstride/lines/pwm_timer.hpp"
#include "cogstride/lines/row_lines.hpp"
#include "cogstride/port/line_port.hpp"

namespace cogstride {

class EdgePlayer {
 public:
  struct Setup {
    std::vector<LineSetup> lines{};
    std::vector<PwmSetup> pwm{};  ///< averaged ones have hardware of the port's that makes their duty
    double ticks_per_second = 0.0;
    Tick bound = 0;            ///< an edge may be so late
    std::int64_t spin_ns = 0;  ///< so long before an edge it does not sleep any more
    std::int64_t longest_sleep_ns = 50'000'000;
    std::vector<BusSetup> buses{};
    std::vector<CutOn> cuts{};      ///< inputs that it acts on by itself
    std::vector<LineId> counted{};  ///< inputs whose edges planning takes when it looks, and not one by one
    std::int64_t silence_ns = 0;    ///< nothing moves for longer without planning; 0: not looked at
  };
  using Commands = boost::lockfree::spsc_queue<LiveCommand>;
  using Reports = boost::lockfree::spsc_queue<PlayerReport>;

  /// @param port, commands, reports  must outlive it; the lines stand at rest
  EdgePlayer(Setup setup, LinePort& port, Commands& commands, Reports& reports);

  /// Takes what was commanded and seen, writes what is due, and sleeps when there is time.
  void turn();

  /// At the end: all lines to rest.
  void end();
  void spin_before(std::int64_t ns) { setup_.spin_ns = ns; }
  /// Whether something was reported, other than what was written, since it was asked last.
  bool take_has_told() { return std::exchange(has_told_, false); }

  /// Whether the guardian may take it that all is well: the player lives, and planning does or nothing moves.
  [[nodiscard]] bool is_looked_after();

  // From other threads:

  /// A sign of life of planning.
  void planning_lives() noexcept { planning_seen_ns_.store(port_.now_ns(), std::memory_order_release); }
  /// How often all lines have been put at rest as cut() asks.
  [[nodiscard]] std::uint64_t cuts_made() const { return cuts_made_.load(std::memory_order_acquire); }

  /// The tick that it is now: the port's clock since it was made, less what time has stood still.
  [[nodiscard]] Tick now() const;
  /// The same of another instant of that clock.
  [[nodiscard]] Tick tick_of(std::int64_t ns) const;
  /// From now on has_played_out() tells whether all that was planned up to `until` has gone out.
  void play_out(Tick until) noexcept { plays_out_.store(until, std::memory_order_release); }
  [[nodiscard]] bool has_played_out() const { return plays_out_.load(std::memory_order_acquire) == never; }
  /// All lines to rest at its next turn, through all queues.
  void cut() noexcept { cut_wanted_.store(true, std::memory_order_release); }
  [[nodiscard]] Tick stood_still() const { return stood_still_.load(std::memory_order_acquire); }
  /// What was not told because nobody took it.
  [[nodiscard]] std::int64_t missed_reports() const { return missed_reports_.load(); }
  /// Of all edges so far; once nothing plays any more.
  [[nodiscard]] const LatenessRecord& lateness() const { return lateness_; }

 private:
  struct Owner {
    std::vector<std::size_t> lines{};   // outputs
    std::vector<std::size_t> timers{};  // of its duties
  };
  struct Duties {
    PwmTimer timer;
    double ns_per_period = 0.0;
    MechanismId owner{};
  };
  struct Line {
    LineSetup setup{};
    bool is_open = false;
    bool high = false;
    bool is_counted = false;
    std::size_t owner = 0;
    std::size_t timer = 0;  // of its duty, in timers_
    PulseQueue pulses{};
    RowLines rows{};            // of the first of those that change together
    Tick back_at = never;       // planned end of the pulse that is out
    Tick planned = -never / 2;  // of its last change
    Tick written = -never / 2;  // the same, when it had really gone out
  };
  struct TimedLevels {
    Tick at = 0;
    std::uint8_t count = 0;
    std::array<Level, most_levels_together> levels{};
  };
  struct TimedFrame {
    Tick at = 0;
    BusId bus{};
    Frame frame{};
    MechanismId whose{};
  };
  struct Sampling {
    SourceId source{};
    LineId line{};
    Tick next = never;
    Tick period = 0;
  };
  struct NextEdge {
    Tick planned = never;
    Tick due = never;
    std::optional<std::size_t> levels{};  // place in levels_; else ...
    std::optional<std::size_t> timer{};   // place in timers_; else ...
    std::size_t pulses = 0;               // place of a pulse line
  };

  void take_commands();
  void take(const LiveCommand& command);
  void withdraw(const LiveCommand& command);
  void take_edges();
  void take_samples();
  void take_frames();
  void send_due_frames();
  [[nodiscard]] Tick next_frame() const;
  void put_at_rest(CutBy why);
  void obey_cut();
  void act_by_itself();
  [[nodiscard]] bool runs(MechanismId mechanism);
  [[nodiscard]] bool moves_something();
  void add_levels(std::size_t place);
  void add_pulse(std::size_t number, Tick planned);
  void add_duties(std::size_t place);
  void write_hardware_duties(Duties& duties);
  [[nodiscard]] Tick due(Tick planned, const Owner& owner) const;
  [[nodiscard]] static Tick planned_next(Line& pulsed);
  [[nodiscard]] NextEdge next_of(const Owner& owner);
  [[nodiscard]] Tick next_due();
  void look_whether_played_out();
  void write_due(Tick at);
  void wrote(const Level& level, Tick planned, Tick at);
  void report(const PlayerReport& message);
  [[nodiscard]] std::int64_t ns_of(Tick tick) const;
  [[nodiscard]] Line& line(LineId id) { return lines_[static_cast<std::size_t>(id)]; }

  Setup setup_;
  LinePort& port_;
  Commands& commands_;
  Reports& reports_;
  std::vector<Line> lines_;  // by number
  std::vector<std::size_t> pulse_lines_;
  std::vector<Owner> owners_;
  std::vector<Duties> timers_;
  std::vector<TimedFrame> frames_;  // in the order in which they were put
  std::vector<PortFrame> came_in_;
  std::vector<TimedLevels> levels_;  // in the order of time; the next one last
  std::vector<Sampling> samplings_;
  std::vector<PortEdge> edges_;
  std::vector<Level> out_;               // of the write that is being made
  std::vector<PwmTimer::Share> shares_;  // being written
  std::vector<Tick> written_;            // when each of them was planned
  CutWatch cuts_;
  bool plays_nothing_ = false;  // until planning cuts
  std::atomic<bool> cut_wanted_{false};
  std::atomic<std::uint64_t> cuts_made_{0};
  std::atomic<std::int64_t> planning_seen_ns_{0};
  std::atomic<Tick> stood_still_{0};
  std::atomic<Tick> plays_out_{never};  // until then; never: it has, or was not asked to
  std::atomic<std::int64_t> missed_reports_{0};
  bool has_told_ = false;
  std::int64_t began_ns_;
  std::int64_t last_look_ns_ = 0;
  LatenessRecord lateness_{};
};

}  // namespace cogstride
