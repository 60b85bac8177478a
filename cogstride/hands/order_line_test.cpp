// Lines of orders and answers, plain and as JSON.
#include "cogstride/hands/order_line.hpp"

#include <gtest/gtest.h>

#include "cogstride/quantity/error.hpp"
#include "support/refusal.hpp"

namespace cogstride::order_line_test {
namespace {

using testing_support::has;
using testing_support::refusal_of;

TEST(OrderLine, IsPlainOrTaggedOrJson) {
  EXPECT_EQ(read_order("  stop traverse \r").order, "stop traverse");
  const OrderLine tagged = read_order("@7 stop traverse");
  EXPECT_EQ(tagged.tag, "7");
  EXPECT_EQ(tagged.order, "stop traverse");
  const OrderLine json = read_order(R"({"order": "clear", "tag": "a\"b"})");
  EXPECT_TRUE(json.is_json);
  EXPECT_EQ(json.order, "clear");
  EXPECT_EQ(json.tag, R"("a\"b")");
}

TEST(OrderLine, RefusesWhatIsNeither) {
  const auto says = [](const std::string& line) {
    return refusal_of<Error>([&] { (void)read_order(line); });
  };
  EXPECT_TRUE(has(says("{\"order\": \"clear\""), "this is no JSON"));
  EXPECT_TRUE(has(says("{\"orde\": \"clear\"}"), "'orde' is not known; known: order, tag"));
  EXPECT_TRUE(has(says("{\"tag\": 1}"), "it has no `order`"));
  EXPECT_TRUE(has(says("{\"order\": 3}"), "it has no `order`"));
  EXPECT_TRUE(has(says("{\"order\": \"clear\", \"tag\": [1]}"), "its `tag` is a text or a whole number"));
  EXPECT_TRUE(has(says("@7"), "a tag stands before an order"));
  EXPECT_TRUE(has(says(std::string(1001, 'x')), "1001 characters"));
  EXPECT_TRUE(has(says("clear\x01"), "a character that no order has"));
}

TEST(OrderLine, AnswersInTheFormThatIsWanted) {
  const Operation::Answer refused{Operation::Answer::Kind::refused, "it is on its way", 0};
  EXPECT_EQ(answer_line({"clear", "", false}, {Operation::Answer::Kind::done, "", 0}, 1.0, false),
            "done: clear");
  EXPECT_EQ(answer_line({"jog x on", "7", false}, refused, 1.0, false),
            "@7 refused: jog x on: it is on its way");
  EXPECT_EQ(answer_line({"clear", "8", true}, refused, 1.5, true),
            R"({"tag":8,"answer":"refused","order":"clear","words":"it is on its way","at_s":1.5})");
  EXPECT_EQ(answer_line({"clear", "x", false}, {Operation::Answer::Kind::done, "", 0}, 1.5, true),
            R"({"tag":"x","answer":"done","order":"clear","at_s":1.5})");
}

}  // namespace
}  // namespace cogstride::order_line_test
