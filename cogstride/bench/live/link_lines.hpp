// The lines of a small chip behind a serial line: planning here, play there, to the tick.
//
// One thread: whoever waits for these lines lets them speak. A planner that stays away is silent on the link
// too, and the chip brakes and comes to rest by itself.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "cogstride/bench/live/played_lines.hpp"
#include "cogstride/link/link_map.hpp"
#include "cogstride/link/link_talk.hpp"
#include "cogstride/link/tick_clock.hpp"
#include "cogstride/port/byte_stream.hpp"

namespace cogstride {

class LinkLines final : public PlayedLines {
 public:
  struct Setup {
    std::vector<LineSetup> lines{};
    LinkMap map{};
    double ticks_per_second = 0.0;
    double bytes_per_second = 0.0;  ///< that the line brings, and the chip takes
    std::int64_t baud = 0;          ///< of the line, for what is said
    Tick slack = 0;                 ///< planning may be so late itself
    Tick lead = 0;
    Tick horizon = 0;
    Tick reads = 0;  ///< from what happens to when planning is told
    std::vector<CounterSetup> counters{};
    std::vector<LoopSetup> loops{};  ///< that the chip closes
    std::vector<GearSetup> gears{};  ///< that it gears to its counts
    std::vector<CutOn> cuts{};       ///< inputs at which the chip acts by itself
    std::int64_t silence_ms = 100;   ///< after which the chip brakes
    std::int64_t analogue_channels = 0;
    std::int64_t greets_for_ns = 4'000'000'000;  ///< a chip that has just been plugged in begins slowly
    std::string port{};                          ///< its name, for what is said
  };
  /// @param stream  must outlive it
  /// @throws Error when no chip answers, or one with another program
  LinkLines(Setup setup, ByteStream& stream);
  ~LinkLines() override;
  LinkLines(const LinkLines&) = delete;
  LinkLines& operator=(const LinkLines&) = delete;

  /// Told of every level that goes out as it was planned, and of those that come in, in wait_until().
  void on_edge(std::function<void(Tick, LineId, bool)> listener);

  [[nodiscard]] Tick now() const override;
  [[nodiscard]] Tick lead() const override;
  [[nodiscard]] Tick horizon() const override;
  [[nodiscard]] bool brakes_at_edges() const override { return true; }
  void put(Tick at, std::span<const Level> levels) override;
  void put(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
           std::optional<StopOn> stop) override;
  void put(Tick at, std::span<const Compare> compares) override;
  void put(Tick at, BusId bus, const Frame& frame, MechanismId whose) override;
  void hold(Tick at, MechanismId whose, const chip::LoopWanted& wanted) override;
  bool gear(Tick at, LineId line, LineId counts_at, const chip::CountFollow& what) override;
  void let_go(Tick at, LineId line) override;
  void sample(SourceId source, Tick first, Tick period) override;
  Withdrawn withdraw(MechanismId mechanism, Tick from) override;
  void cut() noexcept override;
  Tick wait_until(Tick until, std::vector<Reading>& readings) override;
  void catch_up() override;
  void answer_cuts() override;
  void watch(MechanismId mechanism, bool is_watched) override;
  void wake() noexcept override;

  [[nodiscard]] bool has_trouble() const override;
  [[nodiscard]] Trouble take_trouble() override;
  [[nodiscard]] Tick stood_still() const override { return 0; }
  [[nodiscard]] bool answers(SourceId source) const override;
  [[nodiscard]] bool level(LineId line) const override;

  /// Waits until the chip says that those axes stand whose motions are over as they were planned: its clock
  /// is known within a little only.
  void play_out() noexcept;
  /// All at rest; nothing is said any more.
  void end() noexcept;
  [[nodiscard]] const LinkTalk::Counts& counts() const;
  [[nodiscard]] const TickClock& clock() const;
  /// Of the instant that it is.
  [[nodiscard]] Tick clock_error() const;
  [[nodiscard]] std::int64_t round_trip_ns() const;

 private:
  struct Inside;
  std::unique_ptr<Inside> inside_;
};

}  // namespace cogstride
