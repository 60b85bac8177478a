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
    const Rehearsal rehearsal = rehearsed(rig, script, starts_of(rig));
    ASSERT_EQ(rehearsal.verdict.fault, "");
    MadeChip made(rig, rehearsal.trace, built(rig, &script, "random"));
    made.chip().run(static_cast<std::int64_t>((rehearsal.trace.ends_at + 0.3) * clock_rate));
    const RecordedTrace a = of_steps(before_its_end(rehearsal.trace));
    const RecordedTrace b = of_steps(made.trace());
    const TraceComparison comparison = compare_traces(a, b, 0.1);
    // A switch that lets go just as a run ends is noticed before or after the next one is put; the slow
    // approach is to its very edge again.
    EXPECT_EQ(comparison.stretches_a, comparison.stretches_b);
    expect_as_rehearsed(rig, rehearsal, comparison, made, longest_back_off_run);
    EXPECT_NE(made.chip().said().find("ended at"), std::string::npos) << made.chip().said();
    const SmallChipFigures figures = figures_of(*rig.controller.small_chip, clock_rate);
    // A pass of a repeat begins when the main program sees that the one before is over.
    EXPECT_LT(compare_traces(only_steps(a, true), only_steps(b, true), 0.1).worst(),
              text.find("repeat") == std::string::npos ? 1e-9 : 10e-3);
    EXPECT_LE(compare_traces(only_steps(a, false), only_steps(b, false), 0.1).worst() * clock_rate,
              text.find("repeat") == std::string::npos
                  ? static_cast<double>(2 * figures.row_is_off + figures.other_axis_takes)
                  : 10e-3 * clock_rate);
  }
}

}  // namespace
}  // namespace cogstride::chip_bench
