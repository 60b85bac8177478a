// Step times and pulse runs: nanoseconds a step.
#include <benchmark/benchmark.h>

#include <vector>

#include "cogstride/plan/run_fitter.hpp"
#include "cogstride/plan/step_times.hpp"

namespace cogstride {
namespace {

constexpr RampLimits traverse{.speed = 16'000, .acceleration = 400'000, .start_speed = 3200.0 / 3};
constexpr RampLimits traverse_with_jerk{
    .speed = 16'000, .acceleration = 400'000, .start_speed = 3200.0 / 3, .jerk = 32e6 / 3};
// Never at rest in its acceleration.
constexpr RampLimits all_jerk{.speed = 1e9, .acceleration = 1e9, .start_speed = 0, .jerk = 100};
// A slow ramp: every step of it is on a slope.
constexpr RampLimits all_slope{.speed = 1e9, .acceleration = 100, .start_speed = 0};

void step_times(benchmark::State& state, const RampLimits& limits) {
  const std::int64_t steps = state.range(0);
  const Ramp ramp = plan_ramp({}, steps, limits);
  std::vector<double> block(1024);
  for (auto _ : state) {
    StepTimes times(ramp, 0);
    while (times.fill(block) > 0) benchmark::DoNotOptimize(block.data());
  }
  state.counters["ns_per_step"] =
      benchmark::Counter(static_cast<double>(steps) * 1e-9,
                         benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}
BENCHMARK_CAPTURE(step_times, slope, all_slope)->Arg(1'000'000);
BENCHMARK_CAPTURE(step_times, traverse, traverse)->Arg(1'000'000);
BENCHMARK_CAPTURE(step_times, jerk_slope, all_jerk)->Arg(1'000'000);
BENCHMARK_CAPTURE(step_times, jerk_traverse, traverse_with_jerk)->Arg(10'000)->Arg(1'000'000);

void pulse_runs(benchmark::State& state, const RampLimits& limits) {
  const std::int64_t steps = state.range(0);
  const Ramp ramp = plan_ramp({}, steps, limits);
  std::size_t runs = 0;
  for (auto _ : state) {
    RunFitter fitter(ramp, 0, {0, 0}, 48e6);
    chip::PulseRun run{};
    runs = 0;
    while (fitter.next(run)) ++runs;
  }
  state.counters["runs"] = static_cast<double>(runs);
  state.counters["bytes_per_step"] = 24.0 * static_cast<double>(runs) / static_cast<double>(steps);
  state.counters["ns_per_step"] =
      benchmark::Counter(static_cast<double>(steps) * 1e-9,
                         benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}
BENCHMARK_CAPTURE(pulse_runs, traverse, traverse)->Arg(10'000)->Arg(1'000'000);
BENCHMARK_CAPTURE(pulse_runs, slope, all_slope)->Arg(1'000'000);
// Cost against the length of a move.
BENCHMARK_CAPTURE(step_times, by_length, traverse_with_jerk)->RangeMultiplier(10)->Range(1'000, 100'000'000);
BENCHMARK_CAPTURE(pulse_runs, by_length, traverse_with_jerk)->RangeMultiplier(10)->Range(1'000, 100'000'000);
BENCHMARK_CAPTURE(pulse_runs, jerk_traverse, traverse_with_jerk)->Arg(10'000)->Arg(1'000'000);
BENCHMARK_CAPTURE(pulse_runs, jerk_slope, all_jerk)->Arg(1'000'000);

void plan_from_rest(benchmark::State& state, const RampLimits& limits) {
  std::int64_t target = 10'000;
  for (auto _ : state) {
    benchmark::DoNotOptimize(plan_ramp({}, target, limits));
    target ^= 1;
  }
}
BENCHMARK_CAPTURE(plan_from_rest, trapezoid, traverse);
BENCHMARK_CAPTURE(plan_from_rest, jerk, traverse_with_jerk);

void plan_from_any_state(benchmark::State& state) {
  RampLimits limits = traverse_with_jerk;
  limits.start_speed = 0.0;
  std::vector<MotionState> starts;
  for (int i = 0; i < 64; ++i)
    starts.push_back({{0, 0.0}, -15'000.0 + 470.0 * i, (i * 37 % 64 - 32) * 12'000.0 * (i % 2)});
  std::size_t i = 0;
  for (auto _ : state) {
    const auto target = static_cast<std::int64_t>(i * 97 % 4'001) - 2'000;
    benchmark::DoNotOptimize(plan_ramp(starts[i++ % starts.size()], target, limits));
  }
}
BENCHMARK(plan_from_any_state);

}  // namespace
}  // namespace cogstride
