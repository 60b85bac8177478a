#include "cogstride/link/link_talk.hpp"

#include <gtest/gtest.h>

#include <fstream>
#include <random>
#include <sstream>
#include <string>

namespace cogstride::link_talk_test {
namespace {

/// Every frame that the page shows is one.
TEST(LinkTalk, ThePagesFramesAreSound) {
  std::ifstream page(COGSTRIDE_SOURCE_DIR "/docs/link.md");
  ASSERT_TRUE(page.good());
  int frames = 0;
  for (std::string line; std::getline(page, line);) {
    if (line.rfind("    7e ", 0) != 0) continue;
    std::istringstream words(line);
    chip::FrameReader<64> reader;
    bool is_sound = false;
    for (std::string word; words >> word && word.size() == 2;)
      is_sound = reader.take(static_cast<std::uint8_t>(std::stoi(word, nullptr, 16)));
    EXPECT_TRUE(is_sound) << line;
    ++frames;
  }
  EXPECT_EQ(frames, 12);
}

TEST(LinkTalk, TheCheckSequenceIsTheStandardOne) {
  // The check value of this CRC for "123456789".
  std::uint16_t check = chip::link_check_begins;
  for (const char each : std::string("123456789"))
    check = chip::link_check(check, static_cast<std::uint8_t>(each));
  EXPECT_EQ(static_cast<std::uint16_t>(~check), 0x906e);
}

TEST(LinkTalk, FindsItsFeetAfterAnyGarbage) {
  std::mt19937 random(1);
  std::vector<std::uint8_t> frame;
  struct Sink {
    std::vector<std::uint8_t>& bytes;
    void put(std::uint8_t byte) { bytes.push_back(byte); }
  } sink{frame};
  chip::FrameWriter<Sink> writer(sink);
  writer.begin();
  for (int i = 0; i < 40; ++i) writer.byte(static_cast<std::uint8_t>(0x70 + i));
  writer.end();
  for (int i = 0; i < 20'000; ++i) {
    chip::FrameReader<64> reader;
    std::string read;
    for (unsigned k = 0; k < random() % 120; ++k) (void)reader.take(static_cast<std::uint8_t>(random()));
    for (const std::uint8_t byte : frame)
      if (reader.take(byte)) read.assign(reader.bytes(), reader.bytes() + reader.size());
    ASSERT_EQ(read.size(), 40U);
    ASSERT_EQ(static_cast<std::uint8_t>(read[14]), 0x7e);
  }
}

TEST(LinkTalk, RefusesEachFrameWithAByteOfItChanged) {
  const std::vector<std::uint8_t> frame{0x7e, 0x02, 0x00, 0x00, 0x01, 0x21, 0xd4, 0x7e};
  for (std::size_t at = 1; at + 1 < frame.size(); ++at)
    for (int other = 0; other < 256; ++other) {
      if (other == frame[at] || other == 0x7e) continue;
      std::vector<std::uint8_t> spoiled = frame;
      spoiled[at] = static_cast<std::uint8_t>(other);
      chip::FrameReader<64> reader;
      for (const std::uint8_t byte : spoiled) ASSERT_FALSE(reader.take(byte)) << at << " " << other;
    }
}

TEST(LinkTalk, SaysAgainWhatIsNotHeardAndNeverWaitsWithMoreThanACutMay) {
  LinkTalk talk(1e-9 * 11'520.0);
  talk.greet(5, 9, 100);
  EXPECT_EQ(talk.send(0)[1], LinkOrder::greet);
  std::vector<LinkMessage> heard;
  // Its hail.
  const std::vector<std::uint8_t> hail = [] {
    std::vector<std::uint8_t> bytes;
    struct Sink {
      std::vector<std::uint8_t>& all;
      void put(std::uint8_t byte) { all.push_back(byte); }
    } sink{bytes};
    chip::FrameWriter<Sink> writer(sink);
    writer.begin();
    for (const int byte : {int{LinkReading::hail}, 0, 0, 1}) writer.byte(static_cast<std::uint8_t>(byte));
    writer.word(5);
    writer.half(9);
    writer.word(1000);
    writer.byte(1);
    writer.end();
    return bytes;
  }();
  talk.hear(hail, 1000, heard);
  ASSERT_EQ(heard.size(), 1U);
  for (int i = 0; i < 20; ++i) {
    LinkBytes order(LinkOrder::runs);
    for (int k = 0; k < 45; ++k) order.byte(1);
    talk.order(std::move(order), 0, 3);
  }
  std::int64_t now = 1'000'000;
  // 12 ms of 11.52 kB/s, and the frame that goes over it.
  EXPECT_LT(talk.send(now).size(), 138U + 64U);
  std::size_t sent = 0;
  for (; now < 400'000'000; now += 1'000'000) sent += talk.send(now).size();
  EXPECT_LT(static_cast<double>(sent), 0.4 * 11'520.0 + 200.0) << "no faster than the line";
  EXPECT_GT(talk.counts().sent_again, 0);
  talk.cut(1);
  EXPECT_EQ(talk.waiting(), 0U);
  const std::span<const std::uint8_t> bytes = talk.send(now);
  EXPECT_EQ(bytes[1], LinkOrder::cut);
  EXPECT_EQ(bytes[2], 20) << "those that were on their way are not obeyed";
  // It may have been lost: said again soon, twice, and then with patience, until it is heard of.
  std::vector<std::int64_t> again;
  for (const std::int64_t cut_at = now; now < cut_at + 100'000'000; now += 500'000) {
    const std::span<const std::uint8_t> each = talk.send(now);
    if (!each.empty() && each[1] == LinkOrder::cut) again.push_back((now - cut_at) / 1'000'000);
  }
  ASSERT_GE(again.size(), 3U);
  EXPECT_EQ(again[0], 4);
  EXPECT_EQ(again[1], 8);
  EXPECT_GT(again[2], 8 + 24);
}

}  // namespace
}  // namespace cogstride::link_talk_test
