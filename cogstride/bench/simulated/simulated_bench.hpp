// The simulated bench: the rig's own physics at the other end of its lines.
#pragma once

#include <deque>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "cogstride/bench/bench.hpp"
#include "cogstride/bench/guest.hpp"
#include "cogstride/bench/simulated/outside_event.hpp"
#include "cogstride/trace/trace.hpp"
#include "cogstride/trace/verdict.hpp"

namespace cogstride {

class BrushedPlant;
class BrushlessPlant;
class CheckedLines;
class EventTeller;
class LinesWatch;
class LateLines;
class PacedLines;
class Plant;
class PulsePlant;
class SimulatedLines;
class SteppedPlant;
class Surroundings;

class SimulatedBench final : public Bench {
 public:
  struct Options {
    std::uint64_t seed = 1;  ///< of all noise
    std::map<std::string, OutputPosition>
        start_positions{};  ///< where outputs really stand at power-up; else `home`
    ExactTime lead = ExactTime::from_base({1, 100'000});           ///< from command to effect
    ExactTime horizon = ExactTime::from_base({1, 50});             ///< that motion is handed out ahead by
    ExactTime sample_period = ExactTime::from_base({1, 10'000});   ///< of traced signals
    ExactTime coarsest_step = ExactTime::from_base({1, 200'000});  ///< of the plants' integration
    /// Duties are told to plants as shares where that comes to the same: where the bridge brakes in the rest
    /// of a period and its board has no current limit of its own. Several times as fast; lines then show no
    /// switching.
    bool average_pwm = false;
    /// What is really on the bench where it is not what the rig says: wires, switches, loads. The same
    /// mechanisms in the same order.
    std::optional<Rig> actual{};
    std::vector<OutsideEvent> events{};  ///< what happens from outside
    bool at_wall_clock = false;   ///< time passes as fast as a clock's, for a bench that waits for people
    TraceSink* trace = nullptr;   ///< told everything; must outlive the bench
    LinesWatch* watch = nullptr;  ///< told what is put on its lines; must outlive it too
    std::vector<Guest> guests{};  ///< movers of the program's own, beside those of the rig
  };

  explicit SimulatedBench(Rig rig);
  SimulatedBench(Rig rig, Options options);
  ~SimulatedBench() override;

  /// Lines at rest and the trace closed: what a program does at its end. Motions that had not ended end with
  /// the code `closed`; orders and waits throw RangeError from then on, records stay readable.
  void close();

  /// What was asked held against what was made, so far.
  [[nodiscard]] Verdict verdict() const;
  /// The physics of one mechanism, for tests that look deeper. @throws RangeError when there is none of that
  /// name.
  [[nodiscard]] const SteppedPlant& plant(const std::string& name) const;
  [[nodiscard]] const BrushedPlant& brushed_plant(const std::string& name) const;
  /// Of a hobby servo or a speed controller. @throws RangeError as above
  [[nodiscard]] const PulsePlant& pulsed_plant(const std::string& name) const;
  /// Of a bare brushless motor. @throws RangeError as above
  [[nodiscard]] const BrushlessPlant& brushless_plant(const std::string& name) const;
  /// Where a pair really stands. @throws RangeError as above
  [[nodiscard]] const CartPose& cart_pose(const std::string& name) const;
  [[nodiscard]] const SimulatedLines& simulated_lines() const;

  /// A finger makes a switch of a mechanism act, holds it open, or (nothing) leaves it to its place again.
  /// @throws RangeError when there is no such mechanism
  void touch(const std::string& mechanism, const PlaceSwitch& place_switch, std::optional<bool> acts);

  /// An event of a guest (a script) in the trace.
  void trace_event(TraceEvent event) override;
  /// Events whose time has not come so far.
  [[nodiscard]] std::vector<OutsideEvent> events_not_come() const;
  [[nodiscard]] std::vector<TracedSignal> signals() const override;

 protected:
  void noted(const MotionNote& note) override;
  void stopped(Tick at, const Trip& trip) override;
  void sample_signals(Tick at, std::span<double> values) const override;
  [[nodiscard]] std::vector<Participant*> surroundings() override;
  [[nodiscard]] TimedLines& lines() override;
  [[nodiscard]] const TimedLines& lines() const override;

 private:
  void open_lines();
  void make_twins();
  [[nodiscard]] bool is_averaged(const Mechanism& mechanism) const;
  [[nodiscard]] Plant& plant_of(const std::string& name, bool (Mechanism::*is_one)() const,
                                const char* what) const;
  [[nodiscard]] Twin& twin_of(MechanismId id) const;
  void begin_trace();
  void look(Tick at);
  void look_at_twins() const;

  Options options_;
  std::unique_ptr<EventTeller> teller_;
  std::vector<std::unique_ptr<Participant>> stand_ins_{};  // of devices that something happens to
  std::unique_ptr<SimulatedLines> lines_;
  std::unique_ptr<LateLines> late_;           // before them, where a link tells of them
  std::unique_ptr<PacedLines> paced_;         // before them, where they are
  std::unique_ptr<CheckedLines> checked_;     // before all
  std::deque<Mechanism> as_wired_;            // what the plants are of
  std::vector<std::unique_ptr<Twin>> twins_;  // by MechanismId
  std::unique_ptr<Surroundings> surroundings_;
  std::vector<double> samples_;
  std::vector<std::size_t> made_signals_;  // how many each twin has, by MechanismId
  std::string fault_;
  std::string noted_fault_{};  // that a motion has noted itself, last
  class SelfCut;
  std::unique_ptr<SelfCut> self_cut_;
};

}  // namespace cogstride
