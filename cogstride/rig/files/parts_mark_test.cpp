// What a rig keeps of a proof, and when it no longer holds.
#include <gtest/gtest.h>

#include <fstream>
#include <sstream>

#include "cogstride/rig/files/change_rig.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::parts_mark_test {
namespace {

std::string demo_text() {
  std::ostringstream text;
  text << std::ifstream(testing_support::demo_rig_path).rdbuf();
  return text.str();
}

std::string with(std::string text, const std::string& old, const std::string& replacement) {
  const std::size_t at = text.find(old);
  EXPECT_NE(at, std::string::npos) << old;
  return text.replace(at, old.size(), replacement);
}

bool holds(const std::string& text) {
  const Rig rig = parse_rig(text, "test");
  return rig.mechanisms[0].proven.value().still_holds;
}

TEST(PartsMark, AProofHoldsUntilAPartOfTheMechanismChanges) {
  const std::string proven = proven_rig_text(demo_text(), "test", "traverse", {"rest levels", "enable"});
  const Rig rig = parse_rig(proven, "test");
  EXPECT_EQ(rig.mechanisms[0].proven->stages, (std::vector<std::string>{"rest levels", "enable"}));
  EXPECT_TRUE(holds(proven));
  EXPECT_FALSE(rig.mechanisms[1].proven) << "of the others nothing is said";
  EXPECT_TRUE(holds("# a note\n" + proven));
  EXPECT_TRUE(holds(proven_rig_text(proven, "test", "traverse", {"rest levels"}))) << "said anew";
  EXPECT_TRUE(holds(changed_rig_text(proven, "test", "mechanism.spindle.limits.speed", "1700 rpm")));
  EXPECT_FALSE(holds(changed_rig_text(proven, "test", "mechanism.traverse.reversed", "true")));
  EXPECT_FALSE(holds(with(proven, "steps = 200", "steps = 400")));
}

TEST(PartsMark, AMechanismThatIsNotThereIsRefused) {
  EXPECT_THROW((void)proven_rig_text(demo_text(), "test", "travers", {"enable"}), RangeError);
}

}  // namespace
}  // namespace cogstride::parts_mark_test
