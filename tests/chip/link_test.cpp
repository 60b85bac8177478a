// The chip as the bench's hands, in the emulator: what the computer plans comes out at its pins as it was
// planned, whatever the line does.
#include <gtest/gtest.h>

#include "chip/linked_chip.hpp"
#include "chip/made_chip.hpp"
#include "cogstride/bench/live/link_lines.hpp"
#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/report/compare_report.hpp"
#include "cogstride/rig/files/read_rig.hpp"

namespace cogstride::chip_bench {
namespace {

Rig linked_rig() {
  Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml");
  rig.controller.link.emplace();
  rig.controller.link->port = "emulated";
  rig.controller.small_chip->serial_baud = 250'000;
  return rig;
}

RecordedTrace only(RecordedTrace trace, const std::string& name) {
  std::erase_if(trace.lines, [&](const RecordedLine& line) { return !line.name.starts_with(name); });
  return trace;
}

TEST(ChipLink, PlaysWhatIsRehearsed) {
  const Rig rig = linked_rig();
  const Script script = parse_script(
      "home carriage\nhome ring\nstart together\nturn ring to 20 deg\nmove carriage to 20 mm\nend\n"
      "move carriage to 3 mm at 30 mm/s\nwait 0.2 s\nturn ring to 14 deg\nwait 0.3 s\n",
      "short.moves", rig);
  const Rehearsal rehearsal =
      rehearsed(rig, script, {{"carriage", parse_output<0>("2 mm")}, {"ring", parse_output<0>("-12 deg")}});
  EXPECT_TRUE(rehearsal.verdict.is_sound());
  MadeChip made(rig, rehearsal.trace, built_link(rig, "lace"));
  EmulatedLine line(made.chip(), {250e3});
  LiveBench::Options options;
  options.stream = &line;
  LiveBench bench(rig, options);
  ScriptPlayer player(script, bench.rig(), bench.cast());
  const PlayedScript played = play_script(bench, player);
  EXPECT_TRUE(played.is_sound) << played.fault;
  bench.close();
  fmt::print("{}\n{}\n", bench.verdict().fault, bench.played().conditions);
  const RecordedTrace a = of_steps(before_its_end(rehearsal.trace));
  const RecordedTrace b = of_steps(before_its_end(made.trace()));
  const TraceComparison comparison = compare_traces(a, b, 0.1);
  EXPECT_TRUE(comparison.same_edges());
  fmt::print("{}", compare_text(comparison));
  EXPECT_EQ(bench.verdict().fault, "");
  EXPECT_EQ(comparison.stretches_a, comparison.stretches_b);
  EXPECT_LT(compare_traces(only(a, "carriage.step"), only(b, "carriage.step"), 0.1).worst(), 1e-9);
}

}  // namespace
}  // namespace cogstride::chip_bench
