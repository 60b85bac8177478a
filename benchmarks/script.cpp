// Reading a script and checking it against the rig: seconds for 100 000 lines.
#include <benchmark/benchmark.h>

#include <fmt/format.h>

#include "cogstride/script/script.hpp"
#include "support/demo_rig.hpp"

namespace cogstride {
namespace {

void check_script(benchmark::State& state) {
  const Rig rig = testing_support::demo_rig();
  std::string text = "home traverse\nhome creel\n";
  for (std::int64_t line = 2; line + 3 <= state.range(0); line += 3)
    text += fmt::format("move traverse to {} mm at 40 mm/s\nwait 0.3 s\nturn creel to station {}\n",
                        line % 118, line % 8);
  for (auto _ : state) benchmark::DoNotOptimize(parse_script(text, "many.moves", rig));
  state.counters["s"] =
      benchmark::Counter(1.0, benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}
BENCHMARK(check_script)->Arg(100'000)->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace cogstride
