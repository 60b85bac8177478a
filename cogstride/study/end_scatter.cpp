#include "cogstride/study/end_scatter.hpp"

#include <algorithm>
#include <atomic>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plant/brushed_plant.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/script/script_player.hpp"
#include "cogstride/study/side_by_side.hpp"

namespace cogstride {

using namespace literals;

namespace {

/// One run of a script that only time decides: how far each drive has turned when all stands, in display
/// units; nothing when it ended otherwise.
std::vector<double> ends_of(const Rig& rig, const Script& script, std::uint64_t seed, bool averaged) {
  SimulatedBench::Options with_seed;
  with_seed.seed = seed;
  with_seed.average_pwm = averaged;
  SimulatedBench bench(rig, with_seed);
  bool stopped = false;
  bench.on_fault([&](const std::string&) { stopped = true; });
  ScriptPlayer player(script, rig, bench.cast());
  bench.run(player, [&] { return player.has_ended() || stopped; });
  if (stopped || !player.fault().empty()) return {};
  bench.come_to_rest();
  std::vector<double> ends;
  for (const Mechanism& mechanism : rig.mechanisms) {
    if (!mechanism.is_driven_by_duty()) continue;
    const BrushedPlant& plant = bench.brushed_plant(mechanism.name);
    for (int i = 0; i < 200 && plant.speed() != 0.0; ++i) bench.serve(50_ms);
    ends.push_back(plant.position() * display_units_per_base(output_kind(mechanism.train)));
  }
  return ends;
}

}  // namespace

std::vector<EndScatter> scatter_ends(const Rig& rig, const Script& script, const std::vector<std::size_t>& of,
                                     std::size_t count, std::uint64_t seed, bool averaged,
                                     const std::function<void(std::size_t)>& on_done) {
  std::vector<std::vector<double>> runs(count);
  std::atomic<std::size_t> done{0};
  side_by_side(count, [&](std::size_t i) {
    runs[i] = ends_of(rig, script, seed + i, averaged);
    if (on_done) on_done(++done);
  });
  std::vector<EndScatter> results;
  std::size_t place = 0;
  for (std::size_t i = 0; i < rig.mechanisms.size(); ++i) {
    const Mechanism& mechanism = rig.mechanisms[i];
    if (!mechanism.is_driven_by_duty()) continue;
    const std::size_t drive = place++;
    if (std::find(of.begin(), of.end(), i) == of.end()) continue;
    EndScatter result;
    result.mechanism = mechanism.name;
    result.unit = display_unit(output_kind(mechanism.train), 0);
    result.guesses = mechanism.guesses;
    for (const std::vector<double>& run : runs) {
      if (run.empty()) {
        ++result.failures;
      } else {
        result.ends.push_back(run[drive]);
        result.never_moved = result.never_moved && run[drive] == 0.0;
      }
    }
    results.push_back(std::move(result));
  }
  return results;
}

}  // namespace cogstride
