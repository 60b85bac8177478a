// The front of all lines: refuses what `Lines` says that it refuses, before anything of it is put. Whoever
// plays lines behind it, simulated or live, need not.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "cogstride/lines/lines.hpp"
#include "cogstride/lines/lines_watch.hpp"

namespace cogstride {

class CheckedLines final : public TimedLines {
 public:
  struct Setup {
    std::vector<LineSetup> lines{};
    std::vector<PwmSetup> pwm{};
    std::function<bool(SourceId)> answers{};  ///< whether something answers on a source
    /// Time passes by itself: what comes too late is no mistake. It goes out at once, and whoever plays it
    /// tells how late.
    bool takes_late = false;
    std::vector<BusSetup> buses{};
    std::vector<LoopSetup> loops{};  ///< that are closed behind it
  };
  /// @param inner  must outlive it @throws RangeError when two lines or buses share a number, or a duty
  /// channel is on a line that has not been opened
  CheckedLines(Setup setup, TimedLines& inner);

  [[nodiscard]] Tick now() const override { return inner_.now(); }
  [[nodiscard]] Tick lead() const override { return inner_.lead(); }
  [[nodiscard]] Tick horizon() const override { return inner_.horizon(); }
  [[nodiscard]] bool brakes_at_edges() const override { return inner_.brakes_at_edges(); }
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
  /// Told of what is put from now on; null: nobody is.
  void tell(LinesWatch* watch) { watch_ = watch; }
  void catch_up() override { inner_.catch_up(); }
  void answer_cuts() override { inner_.answer_cuts(); }
  void watch(MechanismId mechanism, bool is_watched) override { inner_.watch(mechanism, is_watched); }
  void wake() noexcept override { inner_.wake(); }

 private:
  struct Opened {
    bool is_open = false;
    LineSetup setup{};
    Tick pwm_period = 0;           // of a duty channel
    FineTick runs_end{-never, 0};  // pulses: of what was put last
    bool is_geared = false;        // pulses: nothing is put until it stands
    std::optional<StopOn> stop{};  // of it
  };
  [[nodiscard]] Opened& opened(LineId line);
  void require_sound_rows(const LineSetup& front);
  [[nodiscard]] const BusSetup& bus_of(BusId id) const;
  static void require_carries(const BusSetup& bus, const Frame& frame);
  void require_in_time(Tick at, const char* what) const;
  void free_those_stopped_by(const Reading& reading);

  Setup setup_;
  TimedLines& inner_;
  LinesWatch* watch_ = nullptr;
  std::vector<Opened> lines_;             // by number
  std::vector<std::size_t> pulse_lines_;  // places of these
};

}  // namespace cogstride
