#include "cogstride/bench/simulated/trace_plan.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "cogstride/bench/bench_loop.hpp"
#include "cogstride/bench/simulated/simulated_lines.hpp"
#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/stepper/step_stream.hpp"

namespace cogstride {
namespace {

/// The stream of one move as the only participant.
class LoneStream final : public Participant {
 public:
  explicit LoneStream(StepStream& stream) : stream_(stream) {}
  [[nodiscard]] Tick next_act() const override { return stream_.next_act(); }
  void act(Lines& lines, std::span<const Reading>) override { stream_.act(lines); }

 private:
  StepStream& stream_;
};

}  // namespace

void trace_plan(const Rig& rig, const std::string& name, const MovePlan& plan, TraceSink& sink) {
  const Mechanism& mechanism = mechanism_named(rig, name);
  const ExactFrequency clock = rig.controller.timer_clock;
  const double ticks_per_second = clock.base().to_double();
  StepStream stream(mechanism, MechanismId{}, rig.controller);
  SimulatedLines::Setup setup;
  setup.lines = stream.driver().line_setups();
  SimulatedLines lines(std::move(setup));

  const OutputKind kind = output_kind(mechanism.train);
  TraceLayout layout;
  layout.rig = rig.name;
  layout.ticks_per_second_numerator = clock.base().numerator();
  layout.ticks_per_second_denominator = clock.base().denominator();
  for (const LineSetup& line : lines.lines()) layout.lines.push_back({line.id, line.name, line.rest_high});
  layout.signals = {{name + ".position", std::string(display_unit(kind, 0))},
                    {name + ".speed", std::string(display_unit(kind, 1))}};
  // A thousand samples or more, whatever the move's length.
  layout.sample_period = std::clamp<Tick>(std::llround(plan.ramp.duration() * ticks_per_second / 2000.0), 1,
                                          std::llround(1e-3 * ticks_per_second));
  sink.begin(layout);
  const double units_per_step = display_units_per_base(kind) / steps_per_base(mechanism).to_double();

  stream.start(lines, plan.to_step - plan.from_step, plan.limits, {}, 0);
  const Tick start = stream.began_at();
  lines.on_edge([&](Tick at, LineId line, bool high) { sink.edge(at, line, high); });
  lines.look_each(layout.sample_period, [&](Tick at) {
    const MotionState state = plan.ramp.state_at(static_cast<double>(at - start) / ticks_per_second);
    const std::array values{state.position.to_double() * units_per_step, state.speed * units_per_step};
    sink.sample(at, values);
  });
  LoneStream lone(stream);
  BenchLoop loop(lines);
  loop.add(lone);
  loop.run(never, [&] { return !stream.is_busy(); });
  // Until the last pulse is over, and a little rest to see.
  std::vector<Reading> readings;
  const Tick until = lines.now() + std::max(stream.driver().pulse_width(), layout.sample_period) + 1;
  while (lines.now() < until) lines.wait_until(until, readings);
  sink.end(lines.now());
}

}  // namespace cogstride
