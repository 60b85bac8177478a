// A remote's keys against an independent coder: the marks of frames are written down bit by bit, with noise
// on every edge up to a quarter of the shortest pulse.
#include "cogstride/motion/devices/remote.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <random>

#include "cogstride/quantity/error.hpp"
#include "support/refusal.hpp"

namespace cogstride::remote_test {
namespace {

using testing_support::has;
using testing_support::refusal_of;

constexpr double clock = 48e6;
constexpr double quarter = 562.5 / 4.0;  // us

/// Marks and gaps of a frame as text: '#' a mark and '.' a gap, 562.5 us each.
std::string drawn(std::uint8_t address, std::uint8_t high_address, std::uint8_t command) {
  std::string frame(16, '#');
  frame += std::string(8, '.');
  for (const std::uint8_t byte : {address, high_address, command, static_cast<std::uint8_t>(~command)})
    for (int bit = 0; bit < 8; ++bit) frame += (byte >> bit) % 2 == 1 ? "#..." : "#.";
  return frame + "#";
}
const std::string held_on = std::string(16, '#') + "....#";

std::uint32_t code(std::uint8_t address, std::uint8_t high_address, std::uint8_t command) {
  return address + 256U * high_address + 65536U * command + 16777216U * static_cast<std::uint8_t>(~command);
}

Remote remote() {
  Remote remote{.name = "remote", .line = 27};
  for (int i = 0; i < 6; ++i) {
    RemoteKey key;
    key.name = std::string(1, static_cast<char>('a' + i));
    key.code = code(0x04, 0xfb, static_cast<std::uint8_t>(0x10 + 7 * i));
    remote.keys.push_back(key);
  }
  return remote;
}

/// Hears what is drawn, and keeps "+a" of a key pressed and "-a" of one let go.
struct Listening {
  explicit Listening(Remote of = remote()) : rig(std::move(of)) {}
  /// @param at  s at which it begins @param noise  us on every edge
  void draw(double at, const std::string& frame, double noise = 0.0) {
    std::uniform_real_distribution<double> off(-noise, noise);
    bool mark = false;
    for (std::size_t i = 0; i <= frame.size(); ++i) {
      const bool is_mark = i < frame.size() && frame[i] == '#';
      if (is_mark == mark) continue;
      mark = is_mark;
      edge(at + 1e-6 * (562.5 * static_cast<double>(i) + off(dice)), mark);
    }
  }
  void edge(double at, bool mark) {
    const Tick tick = std::llround(at * clock);
    while (wakes <= tick) wakes = receiver.settle(wakes, hear);
    receiver.take(tick, mark, hear);
    wakes = receiver.settle(tick, hear);
  }
  std::string after(double at) {
    const Tick tick = std::llround(at * clock);
    while (wakes <= tick) wakes = receiver.settle(wakes, hear);
    (void)receiver.settle(tick, hear);
    return said;
  }

  Remote rig;
  RemoteReceiver receiver{rig, clock};
  std::string said;
  std::mt19937 dice{7};
  Tick wakes = never;
  RemoteReceiver::Hear hear = [this](const RemoteKey& key, bool on) { said += (on ? "+" : "-") + key.name; };
};

TEST(Remote, AKeyIsPressedAndLetGo) {
  Listening at;
  at.draw(1.0, drawn(0x04, 0xfb, 0x10));
  EXPECT_EQ(at.after(1.1), "+a");
  EXPECT_EQ(at.after(1.2), "+a");
  EXPECT_EQ(at.after(1.5), "+a-a");
  at.draw(2.0, drawn(0x04, 0xfb, 0x10 + 35));
  EXPECT_EQ(at.after(3.0), "+a-a+f-f");
  EXPECT_EQ(at.receiver.counts().good, 2);
}

TEST(Remote, AHeldKeyGoesOnByItsRepeats) {
  Listening at;
  at.draw(1.0, drawn(0x04, 0xfb, 0x10));
  for (int i = 1; i < 20; ++i) {
    at.draw(1.0 + 0.108 * i, held_on);
    EXPECT_EQ(at.said, "+a") << i;
  }
  EXPECT_EQ(at.after(1.0 + 0.108 * 19 + 0.2), "+a");
  EXPECT_EQ(at.after(4.0), "+a-a");
  // The whole frame again does as well, and so does one repeat that is lost.
  at.draw(5.0, drawn(0x04, 0xfb, 0x17));
  at.draw(5.108, drawn(0x04, 0xfb, 0x17));
  at.draw(5.324, held_on);
  EXPECT_EQ(at.after(5.4), "+a-a+b");
}

TEST(Remote, AnUnknownKeyInTheMiddleOfAHoldEndsIt) {
  for (const std::string& other : {drawn(0x04, 0xfb, 0x77), drawn(0x05, 0xfa, 0x10)}) {
    Listening at;
    at.draw(1.0, drawn(0x04, 0xfb, 0x10));
    at.draw(1.108, held_on);
    at.draw(1.216, other);
    EXPECT_EQ(at.after(1.32), "+a-a");
    at.draw(1.324, held_on);
    at.draw(1.432, held_on);
    EXPECT_EQ(at.after(3.0), "+a-a") << "what is held now is another key";
    EXPECT_EQ(at.receiver.counts().unknown, 1);
  }
  Listening garbled;
  garbled.draw(1.0, drawn(0x04, 0xfb, 0x10));
  garbled.draw(1.108, drawn(0x04, 0xfb, 0x17).substr(0, 60));
  garbled.draw(1.216, held_on);
  EXPECT_EQ(garbled.after(3.0), "+a-a") << "it may have been another";
  Listening next;
  next.draw(1.0, drawn(0x04, 0xfb, 0x10));
  next.draw(1.108, drawn(0x04, 0xfb, 0x17));
  EXPECT_EQ(next.after(1.2), "+a-a+b");
}

TEST(Remote, AReflectionIsTheSamePress) {
  Listening at;
  at.draw(1.0, drawn(0x04, 0xfb, 0x10));
  at.draw(1.09, drawn(0x04, 0xfb, 0x10));
  EXPECT_EQ(at.after(2.0), "+a-a");
}

TEST(Remote, SpikesAndOtherLightAreNothing) {
  Listening at;
  at.draw(1.0, drawn(0x04, 0xfb, 0x10));
  at.edge(1.15, true);
  at.edge(1.1501, false);
  EXPECT_EQ(at.after(1.2), "+a") << "a single spike holds nothing and ends nothing";
  std::mt19937 dice(3);
  std::exponential_distribution<double> apart(2000.0);
  double t = 2.0;
  for (int i = 0; i < 20'000; ++i) at.edge(t += apart(dice), i % 2 == 0);
  EXPECT_EQ(at.after(t + 1.0), "+a-a");
  at.draw(t + 2.0, drawn(0x04, 0xfb, 0x1e));
  EXPECT_EQ(at.after(t + 3.0), "+a-a+c-c") << "the next good one works";
}

TEST(Remote, IsReadThroughNoiseOfAQuarterOfTheShortestPulse) {
  const int frames = std::getenv("COGSTRIDE_SLOW") == nullptr ? 2000 : 100'000;
  Listening at;
  std::mt19937 dice(11);
  std::string wanted;
  double t = 1.0;
  for (int i = 0; i < frames; ++i) {
    const int key = static_cast<int>(dice() % 6);
    at.draw(t, drawn(0x04, 0xfb, static_cast<std::uint8_t>(0x10 + 7 * key)), quarter);
    at.draw(t + 0.108, held_on, quarter);
    const std::string name(1, static_cast<char>('a' + key));
    wanted += "+" + name + "-" + name;
    t += 1.0;
  }
  EXPECT_EQ(at.after(t), wanted);
  EXPECT_EQ(at.receiver.counts().good, 2 * frames);
  EXPECT_EQ(at.receiver.counts().garbled, 0);
}

/// Half a bit at a time, mark first where the bit is 1: another way of saying things, in two ways in turn.
std::vector<std::int64_t> two_phase(std::uint32_t bits, bool toggle) {
  std::string halves;
  for (int i = 13; i >= 0; --i) {
    const bool bit = i == 11 ? toggle : (bits >> i & 1U) != 0;
    halves += bit ? ".#" : "#.";
  }
  std::vector<std::int64_t> timing;
  char now = '.';
  for (const char half : halves) {
    if (timing.empty() && half == '.') continue;
    if (half == now)
      timing.back() += 889;
    else
      timing.push_back(889);
    now = half;
  }
  if (timing.size() % 2 == 0) timing.pop_back();
  return timing;
}

Remote learned() {
  Remote remote{.name = "remote", .line = 27, .coding = Remote::Coding::learned};
  for (std::uint32_t i = 0; i < 6; ++i) {
    RemoteKey key;
    key.name = std::string(1, static_cast<char>('a' + i));
    key.timing = two_phase(0x3000 + 5 * i + 1, false);
    key.other_timing = two_phase(0x3000 + 5 * i + 1, true);
    remote.keys.push_back(key);
  }
  return remote;
}

TEST(Remote, ALearnedOneIsToldByItsTiming) {
  Listening at(learned());
  std::mt19937 dice(5);
  std::uniform_real_distribution<double> off(-889.0 / 4.0, 889.0 / 4.0);
  std::string wanted;
  double t = 1.0;
  for (int i = 0; i < 1000; ++i) {
    const auto key = static_cast<std::uint32_t>(dice() % 6);
    for (int again = 0; again < 3; ++again) {
      double edge = t + 0.114 * again;
      bool mark = true;
      at.edge(edge + 1e-6 * off(dice), mark);
      for (const std::int64_t us : two_phase(0x3000 + 5 * key + 1, i % 2 == 1)) {
        mark = !mark;
        edge += 1e-6 * static_cast<double>(us);
        at.edge(edge + 1e-6 * off(dice), mark);
      }
    }
    const std::string name(1, static_cast<char>('a' + static_cast<char>(key)));
    wanted += "+" + name + "-" + name;
    t += 1.0;
  }
  EXPECT_EQ(at.after(t), wanted);
}

TEST(Remote, ACodeIsSaidAsTheCoderSaysIt) {
  const std::vector<std::int64_t> timing = timing_of(code(0x04, 0xfb, 0x10));
  const std::string frame = drawn(0x04, 0xfb, 0x10);
  std::size_t at = 0;
  for (std::size_t i = 0; i < timing.size(); ++i) {
    const std::size_t begin = at;
    while (at < frame.size() && frame[at] == (i % 2 == 0 ? '#' : '.')) ++at;
    EXPECT_NEAR(static_cast<double>(timing[i]), 562.5 * static_cast<double>(at - begin), 1.0) << i;
  }
  EXPECT_EQ(at, frame.size());
  EXPECT_EQ(held_timing(), (std::vector<std::int64_t>{9000, 2250, 563}));
}

TEST(Remote, WhatMakesNoSenseIsRefused) {
  const auto wrong = [](const auto& change) {
    Remote one = remote();
    change(one);
    return refusal_of<RangeError>([&] { require_sound(one); });
  };
  EXPECT_EQ(wrong([](Remote&) {}), "");
  EXPECT_TRUE(has(wrong([](Remote& r) { r.keys[1].code = r.keys[0].code; }), "is another key's as well"));
  EXPECT_TRUE(has(wrong([](Remote& r) { r.keys[1].code = 0x12345678; }), "key b: 0x12345678 is no code"));
  EXPECT_TRUE(has(wrong([](Remote& r) { r.keys[1].code.reset(); }), "`code` says it"));
  EXPECT_TRUE(has(wrong([](Remote& r) { r.keys[1].timing = {1, 2, 3}; }), "`code` says it"));
  EXPECT_TRUE(has(wrong([](Remote& r) { r.coding = Remote::Coding::learned; }), "`timing` says it"));
  EXPECT_TRUE(has(wrong([](Remote& r) { r.held_for = Time(0.05, units::s); }), "from 0.12 s"));
  EXPECT_TRUE(has(wrong([](Remote& r) { r.held_timing = {1, 2, 3}; }), "is of a learned remote"));
  Remote one = learned();
  EXPECT_NO_THROW(require_sound(one));
  one.keys[0].timing.pop_back();
  EXPECT_TRUE(has(refusal_of<RangeError>([&] { require_sound(one); }), "an odd number of 3 to 400"));
}

}  // namespace
}  // namespace cogstride::remote_test
