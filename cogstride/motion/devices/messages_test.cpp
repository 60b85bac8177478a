#include "cogstride/motion/devices/messages.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cstdlib>
#include <optional>
#include <random>
#include <regex>

#include "cogstride/quantity/error.hpp"
#include "support/refusal.hpp"

namespace cogstride::messages_test {
namespace {

using testing_support::has;
using testing_support::refusal_of;

constexpr std::int64_t ms = 1'000'000;

DeviceMessage text(const char* name, const char* says, std::int64_t fewest = 1, std::int64_t most = 9,
                   std::int64_t lowest = 0, std::int64_t highest = 999'999'999) {
  DeviceMessage message;
  message.name = name;
  message.text = says;
  message.fewest_digits = fewest;
  message.most_digits = most;
  message.negative = lowest < 0;
  message.lowest = lowest;
  message.highest = highest;
  return message;
}

/// The panel of the bench: a station, a pitch in hundredths of a millimetre, and a key that is held.
Device panel(std::optional<std::string> ends_with = {}) {
  Device device;
  device.name = "panel";
  if (ends_with)
    device.ends_with = ends_with;
  else
    device.ends_after = Time(20.0, units::ms);
  device.messages = {text("station", "@NUMBER", 1, 1, 0, 7), text("pitch", "=NUMBER", 1, 3, 1, 400),
                     text("hold", "~")};
  return device;
}
Device only(const DeviceMessage& message) {
  Device device = panel("\n");
  device.messages = {message};
  return device;
}

/// What was heard, in a line: "station 5, hold".
struct Listener {
  explicit Listener(Device of) : device(std::move(of)) {}
  Device device;
  MessageReader reader{device};
  std::vector<std::string> all{};
  std::int64_t now = 0;
  MessageReader::Hear note = [this](const DeviceMessage& message, std::optional<std::int64_t> number) {
    all.push_back(number ? fmt::format("{} {}", message.name, *number) : message.name);
  };
  void take(const std::string& bytes) { reader.take(bytes, now, note); }
  void wait(std::int64_t ns) {
    now += ns;
    (void)reader.settle(now, note);
  }
  std::vector<std::string> heard() { return std::exchange(all, {}); }
};
using Words = std::vector<std::string>;

TEST(Messages, EndWithASilenceAndNeverBefore) {
  Listener panel_on(panel());
  panel_on.take("=1");
  panel_on.wait(19 * ms);
  EXPECT_EQ(panel_on.heard(), Words{}) << "it may go on";
  panel_on.take("40");
  panel_on.wait(20 * ms);
  EXPECT_EQ(panel_on.heard(), Words{"pitch 140"});
  panel_on.wait(500 * ms);
  EXPECT_EQ(panel_on.heard(), Words{}) << "once";
  panel_on.take("~");
  panel_on.now += 150 * ms;
  panel_on.take("@3");
  EXPECT_EQ(panel_on.heard(), Words{"hold"}) << "bytes that come later end the frame before, too";
  const auto again = panel_on.reader.settle(panel_on.now + ms, panel_on.note);
  ASSERT_TRUE(again);
  EXPECT_EQ(*again, panel_on.now + 20 * ms);
}

TEST(Messages, EndWithTheirBytesHoweverTheyCome) {
  for (const std::string& ends :
       {std::string("\r\n"), std::string(";"), std::string(1, '\0'), std::string("END")}) {
    Listener on(panel(ends));
    const std::string said = "@1" + ends + "=400" + ends + "~" + ends + "@2";
    for (const char each : said) on.take(std::string(1, each));
    EXPECT_EQ(on.heard(), (Words{"station 1", "pitch 400", "hold"})) << ends;
    on.take(ends);
    EXPECT_EQ(on.heard(), Words{"station 2"});
    on.take(said + ends);
    EXPECT_EQ(on.heard(), (Words{"station 1", "pitch 400", "hold", "station 2"}));
  }
}

// Garbled, half, two in one, out of range, overlong: counted, never obeyed in part, and the next good one
// works.
TEST(Messages, ThatAreNoneAreCountedAndTheNextGoodOneWorks) {
  Listener on(panel("\n"));
  const auto good = [&] {
    on.take("@5\n");
    EXPECT_EQ(on.heard(), Words{"station 5"});
  };
  for (const char* const none : {"\n", "@\n", "@55\n", "@5@5\n", "x@5\n", "@5 \n", "=\n", "=0004\n", "=-1\n",
                                 "~~\n", "=1x\n", "@\xff\n", "= 12\n", "+1\n"}) {
    on.take(none);
    EXPECT_EQ(on.heard(), Words{}) << none;
    good();
  }
  EXPECT_EQ(on.reader.counts().unknown, 14);
  on.take("@9\n=0\n=401\n");
  EXPECT_EQ(on.reader.counts().out_of_range, 3);
  good();
  on.take(std::string(5000, '@') + "5\n");
  EXPECT_EQ(on.heard(), Words{}) << "overlong, though it ends as a message";
  EXPECT_EQ(on.reader.counts().overlong, 1);
  good();
  on.take("=12");
  on.reader.forget();
  on.take("3\n");
  EXPECT_EQ(on.heard(), Words{}) << "half of it came before the device was gone";
  good();
}

TEST(Messages, HaveNumbersAsTheirFormSays) {
  DeviceMessage way = text("way", "<NUMBER>", 2, 4, -100, 250);
  way.inverted = true;
  Listener on(only(way));
  on.take("<00>\n<-100>\n<250>\n<0012>\n<-012>\n<1>\n<00012>\n<--12>\n<12\n");
  EXPECT_EQ(on.heard(), (Words{"way 150", "way 250", "way -100", "way 138", "way 162"}))
      << "inverted: lowest + highest - what is written";
  EXPECT_EQ(on.reader.counts().unknown, 4);
  way = text("way", "<NUMBER>", 18, 18, -999'999'999'999'999'999, 999'999'999'999'999'999);
  way.inverted = true;
  Listener wide(only(way));
  wide.take("<-999999999999999999>\n");
  EXPECT_EQ(wide.heard(), Words{"way 999999999999999999"});
}

TEST(Messages, HeardTwiceAreOneWhereTheirFormSaysHowSoon) {
  Device device = panel("\n");
  device.messages[0].again_after = Time(50.0, units::ms);
  Listener on(device);
  on.take("@1\n@1\n@2\n");
  EXPECT_EQ(on.heard(), (Words{"station 1", "station 2"}));
  on.now += 49 * ms;
  on.take("@2\n");
  EXPECT_EQ(on.heard(), Words{});
  on.now += 50 * ms;
  on.take("@2\n~\n~\n");
  EXPECT_EQ(on.heard(), (Words{"station 2", "hold", "hold"}));
  EXPECT_EQ(on.reader.counts().doubled, 2);
}

TEST(Messages, ThatCannotBeReadAreRefusedAtTheStart) {
  const auto why = [](const Device& device) {
    return refusal_of<RangeError>([&] { require_readable(device); });
  };
  const auto why_of = [&](const std::vector<DeviceMessage>& messages) {
    Device device = panel("\n");
    device.messages = messages;
    return why(device);
  };
  EXPECT_EQ(why(panel()), "");
  Device neither = panel();
  neither.ends_after.reset();
  EXPECT_TRUE(has(why(neither), "one of the two is said"));
  Device both = panel("\n");
  both.ends_after = Time(1.0, units::ms);
  EXPECT_TRUE(has(why(both), "one of the two is said"));
  EXPECT_TRUE(has(why_of({text("nothing", "")}), "message nothing: says nothing"));
  EXPECT_TRUE(has(why_of({text("x", "a\nb")}), "the bytes in it that end a text"));
  EXPECT_TRUE(has(why_of({text("x", "aNUMBERbNUMBER")}), "one number"));
  EXPECT_TRUE(has(why_of({text("x", std::string(300, 'a').c_str())}), "at most 200 bytes"));
  EXPECT_TRUE(has(why_of({text("n", "NUMBER", 0, 3)}), "1 to 18 can be had"));
  EXPECT_TRUE(has(why_of({text("n", "NUMBER", 3, 2)}), "the fewest first"));
  EXPECT_TRUE(has(why_of({text("n", "NUMBER", 1, 19)}), "1 to 18 can be had"));
  EXPECT_TRUE(has(why_of({text("n", "NUMBER", 1, 2, 9, 0)}), "above its highest"));
  DeviceMessage below = text("n", "NUMBER", 1, 2, -9, 0);
  below.negative = false;
  EXPECT_TRUE(has(why_of({below}), "no minus may stand there"));
  // One text, two meanings.
  const DeviceMessage any = text("any", "aNUMBER", 1, 3, 0, 999);
  EXPECT_TRUE(has(why_of({any, text("key", "a17")}), "cannot be told apart"));
  EXPECT_TRUE(has(why_of({any, text("tens", "a4NUMBER", 2, 2)}), "cannot be told apart"));
  EXPECT_TRUE(has(why_of({any, text("end", "aNUMBER7", 1, 1)}), "cannot be told apart"));
  EXPECT_EQ(why_of({any, text("key", "a1234")}), "");
  EXPECT_EQ(why_of({any, text("long", "aNUMBER", 4, 5)}), "");
  // A release may be lost.
  DeviceMessage up = text("up", "u");
  up.releases = "down";
  EXPECT_TRUE(has(why_of({up}), "it is another message of panel"));
  EXPECT_TRUE(has(why_of({text("down", "d"), up}), "held_at_most"));
  DeviceMessage down = text("down", "d");
  down.held_at_most = Time(5.0, units::s);
  EXPECT_EQ(why_of({down, up}), "");
}

// Against an obvious method: the whole stream is split, and each frame held against regular expressions.
TEST(Messages, OfAnyGarbageAreHeardAsAnObviousMethodHearsThem) {
  const int frames = std::getenv("COGSTRIDE_SLOW") == nullptr ? 20'000 : 1'000'000;
  const std::regex forms("@([0-9])|=([0-9]{1,3})|(~)");
  const auto obvious = [&](const std::string& frame) -> std::string {
    std::smatch found;
    if (frame.size() > longest_device_text || !std::regex_match(frame, found, forms)) return "";
    if (found[1].matched) return found[1] <= "7" ? "station " + found[1].str() : "";
    if (!found[2].matched) return "hold";
    const int number = std::stoi(found[2]);
    return number >= 1 && number <= 400 ? fmt::format("pitch {}", number) : "";
  };
  std::mt19937_64 dice(7);
  const auto of = [&](int sides) { return static_cast<int>(dice() % static_cast<unsigned>(sides)); };
  const auto frame = [&] {
    std::string said = of(3) == 0   ? "~"
                       : of(2) == 0 ? fmt::format("@{}", of(9))
                                    : fmt::format("={}", of(500));
    switch (of(8)) {
      case 0:
        said[static_cast<std::size_t>(of(static_cast<int>(said.size())))] = static_cast<char>(of(256));
        break;
      case 1:
        said.resize(static_cast<std::size_t>(of(static_cast<int>(said.size()) + 1)));
        break;
      case 2:
        said += said;
        break;
      case 3:
        said.insert(0, static_cast<std::size_t>(of(400)), static_cast<char>(of(256)));
        break;
      default:
        break;
    }
    return said;
  };
  Listener by_bytes(panel("\r"));
  Listener by_silence(panel());
  std::string stream;
  Words wanted_by_silence;
  for (int i = 0; i < frames; ++i) {
    const std::string each = frame();
    stream += each + "\r";
    if (const std::string meant = obvious(each); !meant.empty()) wanted_by_silence.push_back(meant);
    for (std::size_t at = 0; at < each.size();) {
      const auto part = static_cast<std::size_t>(1 + of(4));
      by_silence.take(each.substr(at, part));
      at += part;
      by_silence.now += of(20) * ms;
    }
    by_silence.wait(20 * ms + of(50) * ms);
  }
  for (std::size_t at = 0; at < stream.size();) {
    const auto part = static_cast<std::size_t>(1 + of(60));
    by_bytes.take(stream.substr(at, part));
    at += part;
  }
  Words wanted_by_bytes;
  for (std::size_t at = 0; at < stream.size();) {
    const std::size_t end = stream.find('\r', at);
    if (const std::string meant = obvious(stream.substr(at, end - at)); !meant.empty())
      wanted_by_bytes.push_back(meant);
    at = end + 1;
  }
  EXPECT_GT(wanted_by_bytes.size(), static_cast<std::size_t>(frames / 3));
  EXPECT_EQ(by_bytes.heard(), wanted_by_bytes);
  EXPECT_EQ(by_silence.heard(), wanted_by_silence);
}

}  // namespace
}  // namespace cogstride::messages_test
