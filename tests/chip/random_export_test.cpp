// Programs made from rigs and scripts that nobody chose: each homes and ends where its rehearsal does, by the
// same edges.
#include <gtest/gtest.h>

#include <algorithm>
#include <cstdlib>

#include "chip/made_chip.hpp"
#include "chip/random_rigs.hpp"
#include "cogstride/plan/small_chip.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/report/compare_report.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/session/rehearsal.hpp"

namespace cogstride::chip_bench {
namespace {

constexpr std::int64_t longest_back_off_run = 8;  // steps

TEST(ChipExport, OfRandomRigsEndsWhereTheRehearsalDoes) {
  const bool is_slow = std::getenv("COGSTRIDE_SLOW") != nullptr;
  for (unsigned seed = is_slow ? 1 : 4; seed <= (is_slow ? 50 : 6); ++seed) {
    Chance chance(seed);
    const Rig rig = random_rig(chance);
    const std::string text = random_script(rig, chance);
    SCOPED_TRACE(fmt::format("seed {}:\n{}", seed, text));
    const Script script = parse_script(text, "x.moves", rig);
    std::map<std::string, OutputPosition> from;
    for (const Mechanism& mechanism : rig.mechanisms)
      from[mechanism.name] = parse_output<0>(mechanism.name == "ring" ? "-12 deg" : "2 mm");
    const Rehearsal rehearsal = rehearsed(rig, script, from);
    ASSERT_EQ(rehearsal.verdict.fault, "");
    MadeChip made(rig, rehearsal.trace, built(rig, &script, "random"));
    made.chip().run(static_cast<std::int64_t>((rehearsal.trace.ends_at + 0.3) * clock_rate));
    const RecordedTrace a = of_steps(before_its_end(rehearsal.trace));
    const RecordedTrace b = of_steps(made.trace());
    const TraceComparison comparison = compare_traces(a, b, 0.1);
    // A switch that lets go just as a run ends is noticed before or after the next one is put; the slow
    // approach is to its very edge again.
    const Script homing = parse_script(homing_of(rig), "x.moves", rig);
    const double homed_at = rehearsed(rig, homing, from).trace.ends_at;
    EXPECT_EQ(comparison.stretches_a, comparison.stretches_b);
    for (const ComparedStretch& stretch : comparison.stretches) {
      if (stretch.same) continue;
      EXPECT_LT(stretch.begins_a, homed_at - 0.2) << compare_text(comparison);
      for (const ComparedStretch::Line& line : stretch.lines)
        EXPECT_LE(std::abs(line.edges_a - line.edges_b), longest_back_off_run) << compare_text(comparison);
    }
    for (std::size_t axis = 0; axis < rig.mechanisms.size(); ++axis) {
      StepCount count(rig.mechanisms[axis]);
      std::vector<std::string> names;
      for (const std::string& name : count.names()) names.push_back(rig.mechanisms[axis].name + "." + name);
      for (const LineEdge& edge : edges_of(before_its_end(rehearsal.trace), names))
        (void)count.change(edge.line, edge.high, std::llround(edge.at * clock_rate));
      EXPECT_EQ(made.count(axis), count.count()) << compare_text(comparison);
    }
    EXPECT_NE(made.chip().said().find("ended at"), std::string::npos) << made.chip().said();
    const SmallChipFigures figures = figures_of(*rig.controller.small_chip, clock_rate);
    const auto only = [](RecordedTrace trace, bool steps) {
      std::erase_if(trace.lines, [&](const RecordedLine& line) {
        return line.name.ends_with(".step") != steps || (!steps && !line.name.starts_with("ring."));
      });
      return trace;
    };
    // A pass of a repeat begins when the main program sees that the one before is over.
    EXPECT_LT(compare_traces(only(a, true), only(b, true), 0.1).worst(),
              text.find("repeat") == std::string::npos ? 1e-9 : 10e-3);
    EXPECT_LE(compare_traces(only(a, false), only(b, false), 0.1).worst() * clock_rate,
              text.find("repeat") == std::string::npos
                  ? static_cast<double>(2 * figures.row_is_off + figures.other_axis_takes)
                  : 10e-3 * clock_rate);
  }
}

}  // namespace
}  // namespace cogstride::chip_bench
