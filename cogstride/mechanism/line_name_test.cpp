#include "cogstride/mechanism/line_name.hpp"

#include <gtest/gtest.h>

namespace cogstride::line_name_test {
namespace {

TEST(LineName, OfPinsAndNumbersComesBack) {
  for (char port = 'A'; port <= 'Z'; ++port)
    for (int bit = 0; bit < 32; ++bit) {
      const Pin pin{port, bit};
      EXPECT_EQ(pin_of(line_of(pin)), pin);
      EXPECT_EQ(read_pin(line_name(line_of(pin))), pin);
    }
  for (const std::int64_t line : {std::int64_t{0}, std::int64_t{7}, most_lines}) {
    EXPECT_FALSE(pin_of(line));
    EXPECT_EQ(line_name(line), std::to_string(line));
  }
  EXPECT_FALSE(pin_of(line_of({'Z', 31}) + 1));
}

TEST(LineName, RefusesWhatIsNoPin) {
  for (const char* const text : {"", "B", "1", "b1", "B32", "B-1", "B01", "B1 ", " B1", "BB", "B1x", "PB1"})
    EXPECT_FALSE(read_pin(text)) << text;
}

TEST(LineName, IsABitOfItsPort) {
  EXPECT_EQ(port_bit(line_of({'C', 3})), 8u);
  EXPECT_EQ(port_bit(5), 32u);
  EXPECT_EQ(port_bit(64), 0u);
}

}  // namespace
}  // namespace cogstride::line_name_test
