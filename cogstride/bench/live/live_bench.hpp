// The live bench: the same motions on the lines of a real controller.
//
//   LiveBench bench{rig};                  // or SimulatedBench: nothing below changes
//   bench.stepper("traverse").home().wait();
//
// Lines are at rest from the first moment to the last, also when the program ends in a crash: a guardian
// process sees to that. What this computer cannot drive is refused before any line is taken.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "cogstride/bench/bench.hpp"
#include "cogstride/bench/live/player_conditions.hpp"
#include "cogstride/trace/live_play.hpp"
#include "cogstride/trace/trace.hpp"
#include "cogstride/trace/verdict.hpp"

namespace cogstride {

class BlackBox;
class Converter;
class CounterPort;
class ByteStream;
class LinePort;

/// What stands between a mechanism and this controller's live lines.
struct LiveObstacle {
  std::string mechanism{};
  std::string why{};
};

/// Of all mechanisms of a rig, those that cannot be driven live, and why not.
/// @param has_own_port  its lines are those of a port of the program's own, and need no GPIO chip in the rig
[[nodiscard]] std::vector<LiveObstacle> live_obstacles(const Rig& rig, bool has_own_port = false);

/// What a rig has less of on live lines than it says, and how well its duties come.
[[nodiscard]] std::vector<std::string> live_notes(const Rig& rig, bool has_own_port = false);

/// Why an output cannot be faded on live lines; empty when it can, or is only switched.
[[nodiscard]] std::string why_no_live_fade(const Rig& rig, const PlainOutput& output);

class LiveBench final : public Bench {
 public:
  struct Options {
    ExactTime lead = ExactTime::from_base({1, 200});  ///< from command to effect, on lines of this computer
    /// That motion is handed out ahead by; half of it may pass while nobody serves the bench. 2 ms to 1 s
    ExactTime horizon = ExactTime::from_base({1, 50});
    ExactTime sample_period = ExactTime::from_base({1, 200});  ///< of signals in the trace, at the least
    /// Told what is really written and when, from a thread of the bench's own; must outlive it. One that
    /// fails is given up, and played() says so.
    TraceSink* trace = nullptr;
    bool asks_for_real_time = true;
    /// A port in the place of the kernel's lines, with the lines of the rig whatever chips it names; it must
    /// outlive the bench. There is no guardian then.
    LinePort* port = nullptr;
    /// A converter in the place of the kernel's; it must outlive the bench.
    Converter* converter = nullptr;
    /// What counts encoders in the place of the kernel's counters; those that it has not are counted by their
    /// edges. It must outlive the bench.
    CounterPort* counters = nullptr;
    /// What a small chip is spoken to by, in the place of the port that the rig says (controller.link). It
    /// must outlive the bench.
    ByteStream* stream = nullptr;
    /// The black box of the run (bench/live/black_box.hpp): a file with all that planning was told, there
    /// whatever becomes of the program. Empty: none.
    std::string black_box{};
    std::int64_t black_box_size = std::int64_t{64}
                                  << 20;          ///< bytes; what does not fit writes over the oldest
    std::map<std::string, std::string> labels{};  ///< what the run is of, for whoever opens the box
    /// A black box in the place of lines: the same planner is told what it was told then, and nothing moves.
    /// What it orders is compared with what it ordered then. It must outlive the bench.
    BlackBox* replay = nullptr;
    /// Gives an order that was posted then, by its words.
    std::function<void(const std::string&)> on_replayed_post{};
  };

  /// Takes the lines, at rest. @throws Error when something of the rig cannot be driven, or a line not be had
  explicit LiveBench(Rig rig);
  LiveBench(Rig rig, Options options);
  ~LiveBench() override;

  /// Everything at rest and the lines given back. Motions that had not ended end with the code `closed`;
  /// orders and waits throw RangeError from then on, records stay readable.
  void close();

  /// What it came to by what was written and read, once it has been closed.
  [[nodiscard]] const Verdict& verdict() const;
  /// How well its edges kept their times, once it has been closed.
  [[nodiscard]] const LivePlay& played() const;
  [[nodiscard]] const PlayerConditions& conditions() const;
  /// Of a run that is played again: how often what it ordered was held against what it ordered then.
  [[nodiscard]] std::int64_t commands_compared() const;
  /// An event of a guest (a script) in the trace.
  void trace_event(TraceEvent event) override;

 protected:
  [[nodiscard]] TimedLines& lines() override;
  [[nodiscard]] const TimedLines& lines() const override;
  [[nodiscard]] bool take_stop_request() override;
  void posted(const std::string& what) override;
  void replay_posts() override;
  [[nodiscard]] double edges_come_late() const override;
  [[nodiscard]] double edges_known_within(const Encoder& encoder) const override;
  void noted(const MotionNote& note) override;
  void stopped(Tick at, const Trip& trip) override;

 private:
  class Supervisor;
  void switch_off();
  void tell_how_it_played();
  void tell_how_it_spoke();
  void give_back() noexcept;
  void fail(StopBy how, const std::string& why);
  struct Inside;
  std::unique_ptr<Inside> inside_;
};

}  // namespace cogstride
