#include "cogstride/trace/verdict.hpp"

#include <gtest/gtest.h>

#include "cogstride/quantity/error.hpp"

namespace cogstride::verdict_test {
namespace {

TEST(Verdict, IsSoundOnlyWithoutComplaintsAndFaults) {
  Verdict run;
  run.movers.emplace_back();
  run.movers[0].name = "reel";
  run.movers[0].add("pulses", 100.0);
  EXPECT_TRUE(run.is_sound());
  EXPECT_EQ(run.of("reel").figure("pulses"), 100.0);
  run.movers[0].complaints = {"2 steps went the wrong way"};
  EXPECT_FALSE(run.is_sound());
  run.movers[0].complaints.clear();
  run.movers[0].not_looked_at = {"steps lost: its zero was not found"};
  EXPECT_TRUE(run.is_sound()) << "said, and no complaint";
  run.fault = "interrupted";
  EXPECT_FALSE(run.is_sound());
}

TEST(Verdict, SaysWhatThereIsInstead) {
  Verdict run;
  run.movers.emplace_back();
  run.movers[0].name = "reel";
  run.movers[0].add("pulses", 100.0);
  try {
    (void)run.of("spool");
    FAIL();
  } catch (const RangeError& error) {
    EXPECT_STREQ(error.what(), "'spool' is no mover of this run; there are: reel");
  }
  try {
    (void)run.of("reel").figure("steps");
    FAIL();
  } catch (const RangeError& error) {
    EXPECT_STREQ(error.what(), "'steps' is no figure of reel's verdict; there are: pulses");
  }
}

}  // namespace
}  // namespace cogstride::verdict_test
