// Writing a waveform: nanoseconds an edge, to a file in memory where there is one.
#include <benchmark/benchmark.h>

#include <cstdio>

#include "cogstride/report/vcd_writer.hpp"

namespace cogstride {
namespace {

void vcd_edge(benchmark::State& state) {
  TraceLayout layout;
  layout.ticks_per_second_numerator = 48'000'000;
  layout.lines = {{LineId{0}, "traverse.step", false}, {LineId{1}, "traverse.dir", false}};
  constexpr std::int64_t edges = 1'000'000;
  const char* const path = "/dev/shm/cogstride_benchmark.vcd";
  for (auto _ : state) {
    VcdWriter vcd(path);
    vcd.begin(layout);
    for (std::int64_t i = 1; i <= edges; ++i) vcd.edge(1500 * i, LineId{0}, i % 2 == 1);
    vcd.end(1500 * edges);
  }
  std::remove(path);
  state.counters["ns_an_edge"] =
      benchmark::Counter(static_cast<double>(edges) * 1e-9,
                         benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}
BENCHMARK(vcd_edge);

}  // namespace
}  // namespace cogstride
