// The simulated bench: the rig's own physics at the other end of its lines.
#pragma once

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "cogstride/bench/bench.hpp"
#include "cogstride/bench/simulated/outside_event.hpp"
#include "cogstride/bench/simulated/simulated_lines.hpp"
#include "cogstride/plant/brushed_plant.hpp"
#include "cogstride/plant/brushless_plant.hpp"
#include "cogstride/plant/hobby_servo_plant.hpp"
#include "cogstride/plant/step_servo_plant.hpp"
#include "cogstride/plant/stepper_plant.hpp"
#include "cogstride/plant/surroundings.hpp"
#include "cogstride/plant/throttled_plant.hpp"
#include "cogstride/trace/tally.hpp"
#include "cogstride/trace/trace.hpp"

namespace cogstride {

class SimulatedBench final : public Bench {
 public:
  struct Options {
    std::uint64_t seed = 1;  ///< of all noise
    std::map<std::string, OutputPosition>
        start_positions{};  ///< where outputs really stand at power-up; else `home`
    ExactTime lead = ExactTime::from_base({1, 100'000});           ///< from command to effect
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
    TraceSink* trace = nullptr;          ///< told everything; must outlive the bench
  };

  /// Traced signals of each mover, in their order: asked, made, speed, phase_a, phase_b.
  static constexpr std::size_t signals_per_mechanism = 5;

  /// Traced signals of each that is driven by duty, after those of the movers: duty, made, speed, current,
  /// supply, motor_rise, and the speed that is wanted where one is held.
  static constexpr std::size_t signals_per_drive = 7;

  /// Traced signals of each that takes a pulse width, after those: asked, made (or speed), current, power,
  /// rise.
  static constexpr std::size_t signals_per_pulse = 5;

  /// Traced signals of each bare brushless motor, after those: duty, made, speed, wanted speed, the currents
  /// of its phases A, B and C, supply, motor_rise.
  static constexpr std::size_t signals_per_brushless = 9;

  /// Traced signals of each wheeled pair, after those: x, y, heading, and where it thinks it is; pace.
  static constexpr std::size_t signals_per_pair = 7;
  /// Place of a pair's first signal in a trace. @throws RangeError when there is none of that name
  [[nodiscard]] static std::size_t first_signal(const Rig& rig, const WheeledPair& pair);

  /// Place of a mechanism's first signal in a trace. @throws RangeError when it cannot be moved so far
  [[nodiscard]] static std::size_t first_signal(const Rig& rig, const Mechanism& mechanism);

  explicit SimulatedBench(Rig rig);
  SimulatedBench(Rig rig, Options options);

  /// Lines at rest and the trace closed: what a program does at its end. Motions that had not ended end with
  /// the code `closed`; orders and waits throw RangeError from then on, records stay readable.
  void close();

  /// What was asked and what was made, so far.
  [[nodiscard]] RunTally tally() const;
  /// The physics of one mechanism, for looking at. @throws RangeError when there is none of that name.
  [[nodiscard]] const SteppedPlant& plant(const std::string& name);
  [[nodiscard]] const BrushedPlant& brushed_plant(const std::string& name);
  /// Of a hobby servo or a speed controller. @throws RangeError as above
  [[nodiscard]] const PulsePlant& pulsed_plant(const std::string& name);
  /// Of a bare brushless motor. @throws RangeError as above
  [[nodiscard]] const BrushlessPlant& brushless_plant(const std::string& name);
  /// Where a pair really stands. @throws RangeError as above
  [[nodiscard]] const CartPose& cart_pose(const std::string& name);
  [[nodiscard]] const SimulatedLines& simulated_lines() const { return *lines_; }

  /// A finger makes a switch of a mechanism act, holds it open, or (nothing) leaves it to its place again.
  /// @throws RangeError when there is no such mechanism
  void touch(const std::string& mechanism, const PlaceSwitch& place_switch, std::optional<bool> acts);

  /// An event of a guest (a script) in the trace.
  void trace_event(TraceEvent event) override;
  /// Events whose time has not come so far.
  [[nodiscard]] std::vector<OutsideEvent> events_not_come() const { return teller_.not_come(); }

 protected:
  void noted(const MotionNote& note) override;
  void stopped(Tick at, const Trip& trip) override;
  [[nodiscard]] std::vector<Participant*> surroundings() override { return {&teller_}; }
  [[nodiscard]] TimedLines& lines() override { return *lines_; }
  [[nodiscard]] const TimedLines& lines() const override { return *lines_; }

 private:
  void open_lines();
  void make_plants();
  [[nodiscard]] ShaftPlant::Setup plant_setup(const Mechanism& mechanism, const WorldEvents& world,
                                              const Rig& actual) const;
  [[nodiscard]] BrushedTally tally_of(std::size_t drive) const;
  [[nodiscard]] BrushlessTally brushless_tally(std::size_t place) const;
  [[nodiscard]] PulseTally pulse_tally(std::size_t place) const;
  [[nodiscard]] bool is_averaged(const Mechanism& mechanism) const;
  void begin_trace();
  void look(Tick at);
  void roll_carts();
  [[nodiscard]] std::int64_t steps_out(const StepperMover& mover) const;

  Options options_;
  EventTeller teller_;
  std::unique_ptr<SimulatedLines> lines_;
  std::vector<std::unique_ptr<SteppedPlant>> plants_;
  std::vector<std::unique_ptr<BrushedPlant>> brushed_;  // by drive
  std::vector<std::unique_ptr<PulsePlant>> pulse_plants_;
  std::vector<std::unique_ptr<BrushlessPlant>> brushless_;
  /// A cart as it really is: its wheels roll on the floor without slipping.
  struct Cart {
    WheeledPair pair{};
    const ShaftPlant* left = nullptr;
    const ShaftPlant* right = nullptr;
    double rolled_left = 0.0;  // m
    double rolled_right = 0.0;
    CartPose pose{};
  };
  std::vector<Cart> carts_;
  std::unique_ptr<Surroundings> surroundings_;
  std::vector<double> samples_;
  std::vector<bool> zero_found_;
  std::vector<double> whole_turns_;  // that a ring had been turned on when its zero was found, by mover
  std::string fault_;
  std::string noted_fault_{};  // that a motion has noted itself, last
  bool closed_ = false;
};

}  // namespace cogstride
