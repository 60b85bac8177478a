// Scripts and rigs beyond all reason get a message, and no more memory or time than that takes.
#include <gtest/gtest.h>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/script/script.hpp"
#include "cogstride/script/script_player.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::bounds_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

std::string times(std::size_t count, const std::string& line) {
  std::string text;
  text.reserve(count * line.size());
  for (std::size_t i = 0; i < count; ++i) text += line;
  return text;
}

/// What is wrong with it; nothing when all is well.
std::vector<Diagnostic> wrong_with(const std::string& script) {
  try {
    (void)parse_script(script, "s.moves", demo_rig());
  } catch (const InputError& error) {
    return error.diagnostics();
  }
  return {};
}

TEST(Bounds, OfBlocksInEachOther) {
  for (const char* const opener :
       {"repeat 2 times\n", "start together\n", "arrive together\n", "in order\n", "pattern lay\n"}) {
    const std::size_t deep = 60'000;
    const std::vector<Diagnostic> wrong =
        wrong_with(times(deep, opener) + "switch lamp on\n" + times(deep, "end\n"));
    ASSERT_GE(wrong.size(), 1u) << opener;
    EXPECT_LE(wrong.size(), 10u) << opener;
    EXPECT_LE(wrong.front().place.line, 9u) << opener;
    for (const Diagnostic& each : wrong)
      EXPECT_EQ(each.message.find("ends nothing"), std::string::npos) << "its ends belong to it";
  }
  EXPECT_TRUE(
      wrong_with(times(8, "repeat 2 times\n") + "switch lamp on\nwait 1 s\n" + times(8, "end\n")).empty());
}

TEST(Bounds, OfWhatIsToldOfOneFile) {
  const std::vector<Diagnostic> wrong = wrong_with(times(64'000, "nonsense\n"));
  ASSERT_EQ(wrong.size(), most_diagnostics + 1);
  EXPECT_NE(wrong.back().message.find("mend these first"), std::string::npos);
  std::string rig = times(64'000, "x = 1\n");
  for (std::size_t i = 0, at = 0; (at = rig.find("x", at)) != std::string::npos; ++i, ++at)
    rig.replace(at, 1, "x" + std::to_string(i));
  try {
    (void)parse_rig(rig, "r.toml");
    FAIL();
  } catch (const InputError& error) {
    EXPECT_EQ(error.diagnostics().size(), most_diagnostics + 1);
  }
  EXPECT_THROW((void)parse_events(times(64'000, "nonsense\n"), "s.events", demo_rig()), InputError);
}

TEST(Bounds, OfTheLengthOfAScript) {
  const std::vector<Diagnostic> wrong = wrong_with(times(1'000'000, "switch lamp on\n"));
  ASSERT_EQ(wrong.size(), 1u);
  EXPECT_NE(wrong.front().message.find("at most 200000 lines"), std::string::npos);
}

TEST(Bounds, OfAFile) {
  try {
    (void)read_text_file("/dev/zero");
    FAIL();
  } catch (const Error& error) {
    EXPECT_STREQ(error.what(), "/dev/zero: is longer than 64 MB, the most that is read");
  }
}

TEST(Bounds, OfWhatHappensInNoTime) {
  for (const char* const endless :
       {"repeat without end\n  switch lamp on\n  switch lamp off\nend\n",
        "repeat without end\n  in order\n  end\nend\n", "repeat 1000000000 times\n  switch lamp on\nend\n"}) {
    const Rig rig = demo_rig();
    SimulatedBench bench(rig);
    const Script script = parse_script(endless, "s.moves", rig);
    ScriptPlayer player(script, rig, bench.cast());
    bench.run(player, [&] { return player.has_ended(); });
    EXPECT_NE(player.fault().find("took no time: a 'wait' among them is missing"), std::string::npos)
        << endless << player.fault();
    EXPECT_LT(bench.now().in(units::s), 1.0);
  }
}

}  // namespace
}  // namespace cogstride::bounds_test
