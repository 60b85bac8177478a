#include "cogstride/export/made_names.hpp"

#include <gtest/gtest.h>

namespace cogstride::made_names_test {
namespace {

TEST(MadeNames, AreNamesOfAProgram) {
  MadeNames names;
  EXPECT_EQ(names.name_for("carriage"), "carriage");
  EXPECT_EQ(names.name_for("warp-beam"), "warp_beam");
  EXPECT_EQ(names.name_for("int"), "int_of_rig");
  EXPECT_EQ(names.name_for("PORTB"), "PORTB_of_rig");
  EXPECT_EQ(names.name_for("2nd"), "n2nd");
  EXPECT_EQ(names.name_for("__x__"), "x");
  EXPECT_EQ(names.name_for("Spüle"), "Sp_le");
  EXPECT_EQ(names.name_for(""), "it");
  EXPECT_EQ(names.name_for("-"), "it_2");
}

TEST(MadeNames, AreGivenOnce) {
  MadeNames names;
  EXPECT_EQ(names.name_for("warp-beam"), "warp_beam");
  EXPECT_EQ(names.name_for("warp_beam"), "warp_beam_2");
  EXPECT_EQ(names.name_for("warp beam"), "warp_beam_3");
  EXPECT_EQ(names.name_for("warp_beam_2"), "warp_beam_2_2");
}

}  // namespace
}  // namespace cogstride::made_names_test
