#include "cogstride/session/remembered.hpp"

#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"

namespace cogstride::remembered_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

RememberedPositions some() {
  return {
      0x1234u, true, {{"traverse", 117.25_mm}, {"creel", OutputPosition(OutputKind::rotary, Ratio(-7, 3))}}};
}

TEST(Remembered, ReadsWhatItWrote) {
  const RememberedPositions read = parse_remembered(to_text(some()));
  EXPECT_EQ(read.rig, some().rig);
  EXPECT_TRUE(read.standing);
  EXPECT_EQ(read.positions, some().positions);
}

// A power cut at any byte, and a byte that a disk gave back wrong: never a position that was not written.
TEST(Remembered, DoesNotBelieveAFileThatIsCutOrChangedAnywhere) {
  const std::string whole = to_text(some());
  for (std::size_t length = 0; length < whole.size(); ++length)
    EXPECT_THROW((void)parse_remembered(whole.substr(0, length)), Error) << length;
  for (std::size_t place = 0; place < whole.size(); ++place) {
    for (const int change : {1, 2, 4, 16, 64}) {
      std::string damaged = whole;
      damaged[place] = static_cast<char>(damaged[place] ^ change);
      EXPECT_THROW((void)parse_remembered(damaged), Error) << place;
    }
  }
  EXPECT_THROW((void)parse_remembered(whole + whole), Error);
}

TEST(Remembered, ReplacesTheFileWholeOrNotAtAll) {
  const std::filesystem::path folder = std::filesystem::temp_directory_path() / "cogstride_remembered_test";
  std::filesystem::create_directories(folder);
  const std::string path = folder / "positions";
  write_remembered(path, some());
  // What a power cut leaves of the next one: a part of the file beside it.
  std::ofstream(path + ".new") << to_text(some()).substr(0, 40);
  EXPECT_EQ(parse_remembered(read_text_file(path)).positions, some().positions);
  RememberedPositions next = some();
  next.standing = false;
  write_remembered(path, next);
  EXPECT_FALSE(parse_remembered(read_text_file(path)).standing);
  EXPECT_THROW(write_remembered((folder / "none" / "positions").string(), some()), Error);
  std::filesystem::remove_all(folder);
}

TEST(Remembered, ASecondRunStandsWhereTheFirstOneEnded) {
  const Rig rig = demo_rig();
  RememberedPositions kept;
  double left_at = 0.0;
  {
    SimulatedBench bench(rig, {.start_positions = {{"traverse", 3_mm}}});
    auto traverse = bench.stepper("traverse");
    traverse.home().wait();
    traverse.move({.to = 43.21_mm}).wait();
    bench.stepper("creel").home().wait();
    std::vector<std::string> moved;
    kept = park_positions(bench, 7, moved);
    ASSERT_EQ(moved.size(), 1u) << "the creel's zero lies on a whole period";
    EXPECT_EQ(moved[0].rfind("traverse was moved on from 43.21 mm to ", 0), 0u) << moved[0];
    bench.serve(0.3_s);
    left_at = 1e3 * bench.plant("traverse").position();
    // The nearest whole electrical period is at most half of one away.
    EXPECT_NEAR(left_at, 43.21, 0.065);
    EXPECT_NEAR(1e3 * kept.positions.at("traverse").base.to_double(), left_at, 0.004);
  }
  // Power off and on: the output stands where it stood, the board begins its table anew.
  SimulatedBench bench(
      rig,
      {.start_positions = {{"traverse", OutputPosition(OutputKind::linear,
                                                       Ratio(std::llround(left_at * 1e6), 1'000'000'000))}}});
  const std::vector<std::string> notes = recall_positions(bench, kept, 7);
  ASSERT_EQ(notes.size(), 2u);
  auto traverse = bench.stepper("traverse");
  ASSERT_TRUE(traverse.position()) << notes[1];
  traverse.move({.to = 80_mm}).wait();
  bench.serve(0.3_s);
  EXPECT_NEAR(1e3 * bench.plant("traverse").position(), 80.0, 0.006);
}

TEST(Remembered, IsNotBelievedForAnotherRigOrAgainstASwitch) {
  const Rig rig = demo_rig();
  const auto recalled = [&](const RememberedPositions& kept, double stands_at, std::uint64_t rig_now) {
    SimulatedBench bench(
        rig, {.start_positions = {
                  {"traverse",
                   OutputPosition(OutputKind::linear, Ratio(std::llround(stands_at * 1000), 1'000'000))}}});
    const std::vector<std::string> notes = recall_positions(bench, kept, rig_now);
    EXPECT_FALSE(notes.empty());
    const bool believed = bench.stepper("traverse").position().has_value();
    if (!believed) {
      EXPECT_THROW(bench.stepper("traverse").move({.to = 1_mm}), RangeError);
    }
    return believed;
  };
  const RememberedPositions at_50{7, true, {{"traverse", 50_mm}}};
  EXPECT_TRUE(recalled(at_50, 50.0, 7));
  EXPECT_FALSE(recalled(at_50, 50.0, 8)) << "another rig";
  EXPECT_FALSE(recalled({7, false, {{"traverse", 50_mm}}}, 50.0, 7))
      << "it was moving when it was last heard of";
  EXPECT_FALSE(recalled(at_50, -2.0, 7)) << "the gate says that it is elsewhere";
  EXPECT_FALSE(recalled(at_50, 120.0, 7)) << "and so does the far switch";
}

}  // namespace
}  // namespace cogstride::remembered_test
