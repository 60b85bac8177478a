// The lines of a simulated controller, with plants at their other ends.
//
// Time jumps from one event to the next: a queued level, a pulse edge, a PWM switching, a sample, or the
// first edge that a plant makes, whichever comes first. Plants are advanced to each event; when one of them
// makes an edge before it, the others go back to where they were and follow to that edge.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <vector>

#include "cogstride/lines/bus_line.hpp"
#include "cogstride/lines/cut_watch.hpp"
#include "cogstride/lines/gear_player.hpp"
#include "cogstride/lines/lines.hpp"
#include "cogstride/lines/loop_player.hpp"
#include "cogstride/lines/pulse_queue.hpp"
#include "cogstride/lines/pwm_timer.hpp"
#include "cogstride/lines/quadrature_counter.hpp"
#include "cogstride/lines/row_lines.hpp"
#include "cogstride/plant/plant.hpp"

namespace cogstride {

class SimulatedLines final : public TimedLines {
 public:
  struct Setup {
    std::vector<LineSetup> lines{};
    std::vector<PwmSetup> pwm{};
    std::vector<AdcSetup> adc{};
    std::vector<CounterSetup> counters{};
    Tick lead = 0;
    Tick horizon = 960'000;
    std::uint64_t seed = 1;  ///< of ADC noise
    std::vector<CutOn> cuts{};
    std::vector<BusSetup> buses{};
    std::vector<LoopSetup> loops{};  ///< that these lines close
    std::vector<GearSetup> gears{};  ///< that they gear to counts
    double ticks_per_second = 16e6;  ///< of those
    bool brakes_at_edges = false;    ///< a StopOn may have a ramp
  };

  /// Opens the lines at their rest levels. What is put is not checked: that is CheckedLines' business.
  explicit SimulatedLines(Setup setup);
  SimulatedLines(const SimulatedLines&) = delete;
  SimulatedLines& operator=(const SimulatedLines&) = delete;

  /// Connects a plant: it hears the levels as they are now. It must outlive these lines.
  void attach(Plant& plant);
  /// Connects one more on a bus. It must outlive these lines. @throws RangeError when there is no such bus
  void attach(BusId bus, BusNode& node) { bus_line(bus).attach(node); }
  /// Called with every change of any line, in the order of time.
  void on_edge(std::function<void(Tick, LineId, bool)> listener) { listener_ = std::move(listener); }
  /// Calls `look` at each multiple of `period`, with all plants advanced to it; `never` ends it.
  void look_each(Tick period, std::function<void(Tick)> look);

  [[nodiscard]] Tick now() const override { return now_; }
  [[nodiscard]] Tick lead() const override { return setup_.lead; }
  [[nodiscard]] Tick horizon() const override { return setup_.horizon; }
  [[nodiscard]] bool brakes_at_edges() const override { return setup_.brakes_at_edges; }
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
  void answer_cuts() override { cuts_.answer(); }
  void watch(MechanismId mechanism, bool is_watched) override { cuts_.watch(mechanism, is_watched); }

  /// Whether they have put all lines at rest by themselves, and planning has not cut since.
  [[nodiscard]] bool have_cut() const { return plays_nothing_; }
  /// Whether something answers when a source is sampled.
  [[nodiscard]] bool answers(SourceId source) const;
  [[nodiscard]] bool level(LineId line) const { return line_at(line).high; }
  [[nodiscard]] std::span<const LineSetup> lines() const { return setup_.lines; }
  [[nodiscard]] const std::vector<PwmSetup>& pwm() const { return setup_.pwm; }
  /// Net steps of a pulse line since it was opened.
  [[nodiscard]] std::int64_t steps_made(LineId line) const { return line_at(line).pulses.steps(); }

 private:
  struct LineState {
    const LineSetup* setup = nullptr;
    QuadratureCounter* counter = nullptr;  // that counts its edges
    bool high = false;
    std::vector<Plant*> listeners;
    PulseQueue pulses;                   // pulse lines, and the first of those that change together
    RowLines rows;                       // of that one
    std::optional<std::size_t> timer{};  // of its duty, in timers_
    Tick back_at = never;                // end of the pulse that is out
  };
  struct Sampling {
    SourceId source;
    Tick next = never;
    Tick period = 0;
    std::uint64_t count = 0;
  };

  /// A plant that may make an edge before another one does.
  struct Driving {
    Plant* plant;
    std::size_t rank;                // of edges at one tick, that of the plant attached first comes first
    std::optional<LineEdge> edge{};  // that it has made, and nobody has been told of
    Tick reached = 0;                // when all were advanced last
    bool stood = false;              // then its clock alone went on
    void advance(Tick until);
  };

  [[nodiscard]] LineState& line_at(LineId line);
  [[nodiscard]] bool is_open(LineId line) const;
  [[nodiscard]] const LineState& line_at(LineId line) const;
  [[nodiscard]] Tick next_event();
  std::optional<LineEdge> advance_driving(Tick until);
  void advance_hearing();
  void happen(std::vector<Reading>& readings);
  void set_level(LineState& line, bool high);
  void tell_shares(PwmTimer& timer);
  void take_edge(const LineEdge& edge, std::vector<Reading>& readings);
  void take_sample(Sampling& sampling, std::vector<Reading>& readings);
  void find_next_sample();
  void step(LoopPlayer& loop);
  void look(GearPlayer& gear, std::vector<Reading>& readings);

  [[nodiscard]] BusLine& bus_line(BusId id);
  void cut_by_themselves();
  void put_at_rest();
  [[nodiscard]] bool runs(MechanismId mechanism);

  Setup setup_;
  CutWatch cuts_;
  bool plays_nothing_ = false;  // until planning cuts
  Tick now_ = 0;
  std::vector<LineState> lines_;  // by line number
  std::vector<LineState*> pulse_lines_;
  std::multimap<Tick, Level> levels_;  // equal ticks keep their order
  std::vector<PwmTimer> timers_;
  std::vector<QuadratureCounter> counters_;
  std::vector<BusLine> buses_;
  std::vector<LoopPlayer> loops_;
  std::vector<GearPlayer> gears_;
  std::vector<Frame> came_in_;
  std::vector<Sampling> samplings_;  // by their sources
  Tick next_sample_ = never;         // the soonest of them
  std::vector<Plant*> plants_;
  std::vector<Driving> driving_;  // those of them that may make edges
  std::vector<Plant*> hearing_;   // those that only hear
  std::function<void(Tick, LineId, bool)> listener_;
  std::function<void(Tick)> look_;
  Tick look_period_ = 0;
  Tick next_look_ = never;
};

}  // namespace cogstride
