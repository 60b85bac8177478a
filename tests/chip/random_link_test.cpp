// Rigs and scripts that nobody chose, over lines of any rate and delay: what comes out is what was rehearsed.
#include <gtest/gtest.h>

#include <cstdlib>

#include "chip/linked_chip.hpp"
#include "chip/random_rigs.hpp"
#include "cogstride/report/compare_report.hpp"

namespace cogstride::chip_bench {
namespace {

TEST(ChipLink, OfRandomRigsPlaysWhatIsRehearsed) {
  const bool is_slow = std::getenv("COGSTRIDE_SLOW") != nullptr;
  constexpr unsigned bounced =
      18;  // two edges of a switch one right after the other, in the midst of quick steps
  for (unsigned seed = is_slow ? 1 : bounced; seed <= (is_slow ? 30 : bounced); ++seed) {
    Chance chance(seed);
    Rig rig = random_rig(chance);
    const std::string text = random_script(rig, chance) + "wait 0.3 s\n";
    rig.controller.link.emplace();
    rig.controller.link->port = "emulated";
    const std::int64_t baud = chance.one_of(std::vector<std::int64_t>{115'200, 250'000, 500'000});
    rig.controller.small_chip->serial_baud = baud;
    const int delay_ms = chance.whole(1, 40);
    rig.controller.link->delay = Time(delay_ms, units::ms);
    rig.controller.link->silence = Time(250, units::ms);
    const int adds_ms = chance.whole(0, delay_ms);
    SCOPED_TRACE(fmt::format("seed {}, {} baud, {} of {} ms:\n{}", seed, baud, adds_ms, delay_ms, text));
    const Script script = parse_script(text, "x.moves", rig);
    const Rehearsal rehearsal = rehearsed(rig, script, starts_of(rig));
    ASSERT_EQ(rehearsal.verdict.fault, "");
    MadeChip made(rig, rehearsal.trace, built_link(rig, "random"));
    EmulatedLine line(made.chip(), {static_cast<double>(baud), adds_ms * std::int64_t{1'000'000}});
    const Linked linked = play(rig, script, line);
    EXPECT_EQ(linked.fault, "") << linked.conditions;
    EXPECT_EQ(made.chip().overruns(), 0);
    const RecordedTrace a = of_steps(before_its_end(rehearsal.trace));
    const RecordedTrace b = of_steps(before_its_end(made.trace()));
    const TraceComparison comparison = compare_traces(a, b, 0.1);
    // A switch is noticed some microseconds later, when another interrupt is on: the fast approach may end
    // one step sooner or later by it, and the slow one is to the very edge again.
    EXPECT_GE(comparison.stretches_b, comparison.stretches_a);
    expect_as_rehearsed(rig, rehearsal, comparison, made, 2);
    // An edge of a switch may be noticed while another interrupt is on.
    EXPECT_LT(compare_traces(only_steps(a, true), only_steps(b, true), 0.1).worst(), 40e-6);
    EXPECT_LT(compare_traces(only_steps(a, false), only_steps(b, false), 0.1).worst(), 100e-6);
  }
}

}  // namespace
}  // namespace cogstride::chip_bench
