// The lines of a real controller: planning hands commands over, a thread of its own plays them.
//
// now() stands still between calls of wait_until() and catch_up(). Nothing here waits for a lock that the
// player holds.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/bench/live/lateness.hpp"
#include "cogstride/bench/live/live_messages.hpp"
#include "cogstride/bench/live/played_lines.hpp"
#include "cogstride/bench/live/player_conditions.hpp"
#include "cogstride/lines/lines.hpp"
#include "cogstride/port/converter.hpp"
#include "cogstride/port/counter_port.hpp"
#include "cogstride/port/line_port.hpp"
#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

class LiveLines final : public PlayedLines {
 public:
  /// So long may planning be away (in a program's own loop, or because it hangs) while something moves or a
  /// duty is on: then all lines are put at rest.
  static constexpr ExactTime planning_may_be_silent = ExactTime::from_base({1, 4});

  struct Setup {
    std::vector<LineSetup> lines{};
    std::vector<PwmSetup> pwm{};     ///< averaged ones have hardware behind the port that makes their duty
    Converter* converter = nullptr;  ///< of its analogue inputs; must outlive the lines
    std::int64_t analogue_channels = 0;
    ExactFrequency clock{};
    Tick lead = 0;
    Tick horizon = 0;  ///< that motion is handed out ahead by, beyond the lead
    Tick bound = 0;    ///< an edge may be so late
    /// In the player's thread, every few milliseconds: a sign of life of all of it. It stays away when
    /// something moves and planning has given none.
    std::function<void()> on_turn{};
    std::vector<CutOn> cuts{};
    std::vector<BusSetup> buses{};
    std::vector<CounterSetup> counters{};      ///< of encoders, whose edges are counted here ...
    CounterPort* hardware_counters = nullptr;  ///< ... but for those that it has; must outlive the lines
    bool asks_for_real_time = true;
  };

  /// Inputs whose edges are counted here, and wait for the next look.
  [[nodiscard]] static std::vector<LineId> counted_lines(const Setup& setup);

  /// @param port  its outputs stand at rest; must outlive it
  LiveLines(Setup setup, LinePort& port);
  /// Puts every line at rest and ends the player.
  ~LiveLines() override;
  LiveLines(const LiveLines&) = delete;
  LiveLines& operator=(const LiveLines&) = delete;

  /// Told of every level that went out or came in, with the tick of the port's clock, in wait_until() and
  /// deliver(), never in cut() or end().
  void on_edge(std::function<void(Tick, LineId, bool)> listener);

  [[nodiscard]] Tick now() const override;
  [[nodiscard]] Tick lead() const override;
  [[nodiscard]] Tick horizon() const override;
  void put(Tick at, std::span<const Level> levels) override;
  void put(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
           std::optional<StopOn> stop) override;
  void put(Tick at, std::span<const Compare> compares) override;
  void put(Tick at, BusId bus, const Frame& frame, MechanismId whose) override;
  void sample(SourceId source, Tick first, Tick period) override;
  Withdrawn withdraw(MechanismId mechanism, Tick from) override;
  void cut() noexcept override;
  /// Returns too, with nothing read, when trouble() has something to say.
  Tick wait_until(Tick until, std::vector<Reading>& readings) override;
  void catch_up() override;
  void answer_cuts() override;
  void watch(MechanismId mechanism, bool is_watched) override;
  void wake() noexcept override;

  [[nodiscard]] bool has_trouble() const override;
  [[nodiscard]] Trouble take_trouble() override;

  [[nodiscard]] const PlayerConditions& conditions() const;
  /// Of all edges; once the player has ended.
  [[nodiscard]] const LatenessRecord& lateness() const;
  /// What the player wrote or saw and could not tell, because nobody listened for too long.
  [[nodiscard]] std::int64_t missed_reports() const;
  /// Analogue codes that were read, and those left out because the converter was still busy.
  [[nodiscard]] std::int64_t codes_read() const;
  [[nodiscard]] std::int64_t codes_left_out() const;
  /// Lets the player make the edges whose time has come, for a tenth of a second at the most: now() may be
  /// ahead of one that is late. Allocates nothing.
  void play_out() noexcept;
  /// Puts every line at rest and ends the player; nothing can be put afterwards. Allocates nothing.
  void end() noexcept;
  /// Tells the listener what it has not heard yet, after end().
  void deliver();
  /// Whether every line is known to be at rest; once the player has ended.
  [[nodiscard]] const RestOutcome& rested() const;
  [[nodiscard]] std::span<const LineSetup> lines() const;
  [[nodiscard]] bool answers(SourceId source) const override;
  [[nodiscard]] bool level(LineId line) const override;
  [[nodiscard]] Tick stood_still() const override;

 private:
  struct Inside;
  std::unique_ptr<Inside> inside_;
};

}  // namespace cogstride
