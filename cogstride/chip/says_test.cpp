#include "cogstride/chip/says.hpp"

#include <gtest/gtest.h>

#include <string>

namespace cogstride::chip {
namespace {

struct Line {
  static inline std::string sent;
  static inline bool ready = true;
  static bool is_ready() { return ready; }
  static void send(uint8_t letter) { sent += static_cast<char>(letter); }
};

std::string said(int32_t number, uint8_t digits) {
  Line::sent.clear();
  Says<Line, 64> says;
  says.fixed(number, digits);
  for (int i = 0; i < 64; ++i) says.serve();
  return Line::sent;
}

TEST(Says, NumbersWithDigitsBehindThePoint) {
  EXPECT_EQ(said(4000, 2), "40.00");
  EXPECT_EQ(said(-5, 2), "-0.05");
  EXPECT_EQ(said(0, 2), "0.00");
  EXPECT_EQ(said(0, 0), "0");
  EXPECT_EQ(said(INT32_MAX, 0), "2147483647");
  EXPECT_EQ(said(INT32_MIN, 1), "-214748364.8");
}

TEST(Says, ALetterAtATimeAndLeavesOutWhatHasNoRoom) {
  Line::sent.clear();
  Says<Line, 16> says;
  says.text("carriage ").text("0123456789");
  EXPECT_EQ(says.free(), 0);
  Line::ready = false;
  says.serve();
  EXPECT_EQ(Line::sent, "");
  Line::ready = true;
  for (int i = 0; i < 100; ++i) says.serve();
  EXPECT_EQ(Line::sent, "carriage 012345");
}

}  // namespace
}  // namespace cogstride::chip
