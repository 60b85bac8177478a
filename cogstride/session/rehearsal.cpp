#include "cogstride/session/rehearsal.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/read_rig.hpp"

namespace cogstride {

using namespace literals;

Rehearsed rehearse(const Rig& rig, const Script& script, SimulatedBench::Options options,
                   PositionMemory& memory, const std::function<PlayedScript(Bench&, ScriptPlayer&)>& play) {
  SimulatedBench bench(rig, std::move(options));
  memory.recall(bench);
  ScriptPlayer player(script, rig, bench.cast());
  const PlayedScript played = play(bench, player);
  bench.serve(0.3_s);  // the swing of the last stop dies away
  if (played.is_sound) memory.keep(bench);
  Rehearsed came{bench.verdict(), memory.notes(), bench.events_not_come(), player.taught()};
  if (!played.fault.empty()) came.verdict.fault = played.fault;
  bench.close();
  return came;
}

Rig read_actual_rig(const std::string& file, const Rig& rig, const std::string& rig_file) {
  Rig actual = read_rig(file);
  const auto same = [](const Mechanism& a, const Mechanism& b) {
    return a.name == b.name && a.motor.index() == b.motor.index() && a.board.index() == b.board.index();
  };
  const auto same_pair = [](const WheeledPair& a, const WheeledPair& b) { return a.name == b.name; };
  if (!std::equal(rig.mechanisms.begin(), rig.mechanisms.end(), actual.mechanisms.begin(),
                  actual.mechanisms.end(), same) ||
      !std::equal(rig.pairs.begin(), rig.pairs.end(), actual.pairs.begin(), actual.pairs.end(), same_pair))
    throw Error(fmt::format(
        "--actual {}: has not the mechanisms of {}, of the same kinds and in the same order: begin "
        "with a copy of it",
        file, rig_file));
  return actual;
}

}  // namespace cogstride
