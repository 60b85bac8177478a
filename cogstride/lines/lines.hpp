// The one interface of a controller: simulated, live or recorded, everything above it is the same code.
//
// Commands carry the tick at which they take effect and are handed out ahead of time; what has not happened
// yet can be withdrawn. Readings come back through `wait_until`, which the run loop alone calls.
//
//   lines.put(at, {{dir, true}});                 // one port write
//   lines.put(FineTick{at, 0}, step, runs, {});   // a train of step pulses
//   Withdrawn w = lines.withdraw(mechanism, lines.now() + lines.lead());
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "cogstride/chip/duty_loop.hpp"
#include "cogstride/chip/step_follow.hpp"
#include "cogstride/lines/events.hpp"

namespace cogstride {

/// Several lines that change together, a row a step, round and round: the coils of a stepper.
struct RowSetup {
  std::vector<LineId> lines{};        ///< bit 0 first; at most 8
  std::vector<std::uint8_t> cycle{};  ///< which of them are on, not at rest, in each row; at most 255
};

/// How a line is used and where it rests; given when the lines are opened.
struct LineSetup {
  /// rows: one of several that change together. Levels may be put on it as well, between its runs.
  enum class Use : std::uint8_t { level, pulses, pwm, input, rows };
  LineId id{};
  std::string name;     ///< "traverse.step"
  MechanismId owner{};  ///< whose queue `withdraw` empties
  Use use = Use::level;
  bool rest_high = false;  ///< the level at start, after `cut` and at the end; for pulses the idle level
  Tick pulse_width = 0;    ///< pulses only: from the leading edge back to rest
  SourceId source{};       ///< inputs only: the source that reports its edges
  Tick settles = 0;        ///< outputs: so long its owner's lines stand still after it has changed
  RowSetup rows{};         ///< of the first line of those that change together, to which their runs are put
};

enum class PwmAlignment : std::uint8_t { edge, centre };

/// Duty channels of one timer. A channel with a complementary line drives both gates of a leg. Channels of
/// several owners may be of one timer: each has what it was given, and periods begin at multiples of the
/// period.
struct PwmSetup {
  struct Channel {
    LineId line{};
    std::optional<LineId> complement;
  };
  Tick period = 0;
  PwmAlignment alignment = PwmAlignment::edge;
  Tick dead_time = 0;  ///< from one line of a complementary pair off to the other on
  std::vector<Channel> channels;
  /// Simulated lines alone: plants are told the share of each line, not its switchings.
  bool averaged = false;
};

/// One analogue input: an ideal converter with noise.
struct AdcSetup {
  SourceId source{};
  double full_scale_volts = 3.3;
  int bits = 12;
  double noise_codes = 0.0;  ///< rms
};

/// A decoder that counts the edges of an encoder on two input lines; those edges are no readings of their
/// own.
struct CounterSetup {
  SourceId source{};       ///< its count
  SourceId edge_source{};  ///< the tick of the edge that it counted last
  LineId line_a{};
  LineId line_b{};
  std::uint8_t edges = 4;  ///< of a line that count: 1, 2 or 4
  Tick filter = 0;         ///< shorter pulses are taken for disturbances
  Tick least_between = 0;  ///< edges, either line's, that come sooner are missed: as fast as it counts
};

/// A bus on which frames follow each other by their ids, or a serial port.
struct BusSetup {
  enum class Kind : std::uint8_t { bus, serial };
  BusId id{};
  std::string name{};  ///< "controller.bus"
  Kind kind = Kind::bus;
  double ticks_per_bit = 0.0;
  std::vector<Frame> rest{};  ///< what is sent, in this order, when all comes to rest
};

/// A loop that whoever plays the lines closes by itself, from the count of an encoder to duties, so that how
/// late planning is does not matter to it: planning says what is wanted (Lines::hold). While it is closed
/// nothing else is put on its lines.
struct LoopSetup {
  /// What a line is given forwards, backwards, and where the duty is none; of a level line: high or low.
  enum class Gives : std::uint8_t { low, high, duty };
  struct Output {
    LineId line{};
    Tick period = 0;  ///< of a duty channel, whose `high` is all of it; 0: a level line
    Tick grain = 1;   ///< ticks by which its duty changes
    Gives forwards = Gives::low;
    Gives backwards = Gives::low;
    Gives none = Gives::low;
  };
  MechanismId owner{};
  SourceId source{};   ///< loop_source(owner)
  LineId counts_at{};  ///< line A of its encoder
  chip::DutyLoopSetup loop{};
  std::vector<Output> outputs{};
};

/// An axis of steps that whoever plays the lines can gear to a count (Lines::gear).
struct GearSetup {
  MechanismId owner{};
  SourceId source{};  ///< gear_source(owner)
  LineId line{};      ///< its runs'
  std::optional<LineId> direction{};
  bool high_backwards = false;  ///< of that one
};

/// An input at which whoever plays the lines puts all of them at rest by itself, whatever planning does; from
/// then on nothing is played until planning has cut the lines too.
struct CutOn {
  LineId line{};
  bool when_high = true;
  Tick steady_for = 0;    ///< it counts when it has stood so long
  Tick released_for = 0;  ///< and can again when it has been back so long
  Tick waits = 0;         ///< so long from then on planning may say that it acts itself (answer_cuts)
  std::optional<MechanismId> while_runs{};  ///< only while this one's lines have something to make
};

/// That one put can change.
inline constexpr std::size_t most_levels_together = 24;
inline constexpr std::size_t most_duties_together = 8;

/// What is refused is refused in one place, before anything of it is put: CheckedLines, which stands before
/// whatever plays the lines. Too early is what would take effect before `now() + lead()`: where time passes
/// by itself that is no mistake but late, and whoever plays the lines tells of it.
class Lines {
 public:
  virtual ~Lines() = default;

  [[nodiscard]] virtual Tick now() const = 0;
  /// What is put takes effect at `now() + lead()` at the earliest.
  [[nodiscard]] virtual Tick lead() const = 0;
  /// So far ahead, beyond the lead, whoever plans hands out what is known. Half of it may pass without a turn
  /// of the run loop, and nothing comes too late.
  [[nodiscard]] virtual Tick horizon() const = 0;

  /// One port write: all levels change together. @throws RangeError when `at` is too early, a line is no
  /// plain output, or there are too many
  virtual void put(Tick at, std::span<const Level> levels) = 0;
  /// Step pulses on one line: `runs` are played from `start` on. The leading edge of each pulse falls on the
  /// tick nearest to its step; the line returns to rest after its pulse width. Of lines that change together,
  /// each step puts the next row on all of them in one port write, a step backwards the one before; the cycle
  /// goes on from where the last run left it.
  /// @throws RangeError when the first pulse would be too early, or the runs begin before the end of what was
  /// put already and has not been withdrawn; when the line makes neither pulses nor rows, or `stop` is at no
  /// input
  virtual void put(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
                   std::optional<StopOn> stop) = 0;
  /// Compare values of duty channels, each at the first period of its timer that starts at or after `at`:
  /// those of one timer together. @throws RangeError when `at` is too early, a line is no duty channel, or a
  /// compare value is not within its period; nothing is put then
  virtual void put(Tick at, std::span<const Compare> compares) = 0;
  /// A frame, sent at `at`, or as soon after that as the bus is free. What others send is read back at the
  /// end of its last bit, by bus_source(); one's own is not.
  /// @param whose  who may withdraw it. @throws RangeError when `at` is too early, there is no such bus, or
  /// it cannot carry this frame
  virtual void put(Tick at, BusId bus, const Frame& frame, MechanismId whose) = 0;
  /// Whether a StopOn may have a ramp.
  [[nodiscard]] virtual bool brakes_at_edges() const { return false; }
  /// What a loop is to hold from `at` on, in the place of what it was told for then and later. Its tick
  /// follows from `at`. @throws RangeError when `at` is too early, or no loop is closed for it here
  virtual void hold(Tick at, MechanismId whose, const chip::LoopWanted& wanted);
  /// Gears a line of runs to the count of an encoder from `at` on, within limits, until it is let go; or by
  /// other steps for counts, where it is already. Its axis stands, and nothing is put on it until it stands
  /// again, as gear_source() tells. @param counts_at  line A of the encoder
  /// @return false: nobody does that here, or for another axis just now: it is to be planned
  virtual bool gear(Tick at, LineId line, LineId counts_at, const chip::CountFollow& what);
  /// One that is geared comes to rest, on a ramp from `at` on.
  virtual void let_go(Tick at, LineId line);
  /// Readings of an analogue source, a counter or a loop at `first` and then each `period` ticks; period 0
  /// means once. Asking again replaces what was asked before; `first == never` ends it.
  /// @throws RangeError when `first` has passed, or nothing answers on the source
  virtual void sample(SourceId source, Tick first, Tick period) = 0;
  /// Takes back all that a mechanism has in the queues from `from` on (a pulse or a frame that has begun is
  /// ended properly). What its loop was told stays: it is told something else.
  virtual Withdrawn withdraw(MechanismId mechanism, Tick from) = 0;
  /// Drops all queues, puts every line at rest, and sends what brings others on its buses to rest, now.
  virtual void cut() noexcept = 0;
};

/// Lines whose time can be let pass: what the run loop holds.
class TimedLines : public Lines {
 public:
  /// Lets time pass to `until`, or to the first instant at which something was read; appends what was read.
  /// @return the time reached
  virtual Tick wait_until(Tick until, std::vector<Reading>& readings) = 0;
  /// now() becomes the instant that it is. Simulated time passes in wait_until() alone; live time passes by
  /// itself, and now() stands still in between, so that all who act see the same instant.
  virtual void catch_up() {}
  /// Planning acts itself on what waits for it (CutOn::waits).
  virtual void answer_cuts() {}
  /// Whether inputs that count while a mechanism runs do: not while it is homed by them.
  virtual void watch(MechanismId /*mechanism*/, bool /*is_watched*/) {}
  /// From any thread or signal handler: a wait_until() that waits for a clock returns soon, with nothing
  /// read.
  virtual void wake() noexcept {}
};

}  // namespace cogstride
