// Lines of which planning hears late: each reading comes so long after what it tells of. Runs that an edge
// has ended take nothing more until planning knows.
#pragma once

#include <deque>
#include <map>
#include <set>
#include <vector>

#include "cogstride/lines/lines.hpp"

namespace cogstride {

class LateLines final : public TimedLines {
 public:
  /// @param lines  as they were opened @param late  ticks @param inner  must outlive it
  LateLines(const std::vector<LineSetup>& lines, Tick late, TimedLines& inner);

  [[nodiscard]] Tick now() const override { return inner_.now(); }
  [[nodiscard]] Tick lead() const override { return inner_.lead(); }
  [[nodiscard]] Tick horizon() const override { return inner_.horizon(); }
  [[nodiscard]] bool brakes_at_edges() const override { return inner_.brakes_at_edges(); }
  void put(Tick at, std::span<const Level> levels) override { inner_.put(at, levels); }
  void put(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
           std::optional<StopOn> stop) override;
  void put(Tick at, std::span<const Compare> compares) override { inner_.put(at, compares); }
  void put(Tick at, BusId bus, const Frame& frame, MechanismId whose) override {
    inner_.put(at, bus, frame, whose);
  }
  void hold(Tick at, MechanismId whose, const chip::LoopWanted& wanted) override {
    inner_.hold(at, whose, wanted);
  }
  bool gear(Tick at, LineId line, LineId counts_at, const chip::CountFollow& what) override {
    return inner_.gear(at, line, counts_at, what);
  }
  void let_go(Tick at, LineId line) override { inner_.let_go(at, line); }
  void sample(SourceId source, Tick first, Tick period) override { inner_.sample(source, first, period); }
  Withdrawn withdraw(MechanismId mechanism, Tick from) override { return inner_.withdraw(mechanism, from); }
  void cut() noexcept override;
  Tick wait_until(Tick until, std::vector<Reading>& readings) override;
  void catch_up() override { inner_.catch_up(); }
  void answer_cuts() override { inner_.answer_cuts(); }
  void watch(MechanismId mechanism, bool is_watched) override { inner_.watch(mechanism, is_watched); }
  void wake() noexcept override { inner_.wake(); }

 private:
  struct Untold {
    Reading reading;
    std::set<LineId> ended{};  ///< lines whose runs it has ended
  };
  void keep(const Reading& reading);

  Tick late_;
  TimedLines& inner_;
  std::map<SourceId, LineId> inputs_{};
  std::map<LineId, StopOn> stops_{};  ///< of the runs that were put last, by their line
  std::deque<Untold> untold_{};
  std::vector<Reading> read_{};
};

}  // namespace cogstride
