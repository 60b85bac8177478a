// The chip's end of a link on this computer: the code that runs on the chip, its timer, pins and serial line
// made up, a tick at a time where something happens.
#pragma once

#include <algorithm>
#include <array>
#include <cstdint>
#include <deque>
#include <functional>
#include <memory>
#include <utility>
#include <vector>

#include "cogstride/chip/link_count.hpp"
#include "cogstride/chip/link_node.hpp"

namespace cogstride::testing_support {

/// One at a time: what a chip has is static.
class HostChip {
 public:
  static constexpr std::uint32_t ticks_per_second = 16'000'000;
  static constexpr std::int64_t turn = 1600;  ///< ticks that the main program takes

  struct Step {
    std::int64_t at;
    bool backwards;
  };
  struct Put {
    std::int64_t at;
    std::uint8_t line;
    bool high;
  };
  struct Duty {
    std::int64_t at;
    std::uint8_t line;
    std::uint16_t on;
  };

  HostChip() {
    all() = All();
    all().now = 12'345'678'901;  // it has been on for a while
    node_ = std::make_unique<chip::LinkNode<Machine>>();
  }
  [[nodiscard]] static std::int64_t now() { return all().now; }
  /// Until that tick; whoever listens hears each byte that it says.
  void run_to(std::int64_t until) {
    All& in = all();
    while (in.now < until) {
      std::int64_t next = std::min(until, in.next_turn);
      for (const Channel& channel : in.channels)
        if (channel.is_on) next = std::min(next, channel.match);
      in.now = std::max(in.now, next);
      for (std::size_t i = 0; i < in.channels.size(); ++i)
        if (in.channels[i].is_on && in.channels[i].match <= in.now) matched(i);
      if (in.now < in.next_turn) continue;
      in.next_turn = in.now + turn;
      if (!is_stopped) node_->serve();
    }
  }
  void hear(std::uint8_t byte) { all().came.push_back(byte); }
  void edge(std::uint8_t line, bool high) {
    all().levels[line] = high;
    node_->edge(line, high, static_cast<std::uint32_t>(all().now));
  }
  /// Its encoder turns on. @param tracks  bit 0: A, bit 1: B
  void turn_to(std::uint8_t tracks) { all().count.edge(tracks, static_cast<std::uint32_t>(all().now)); }
  /// It loses its program's memory, as by a dip of its supply.
  void reset() {
    const std::int64_t now = all().now;
    all() = All();
    all().now = now;
    node_ = std::make_unique<chip::LinkNode<Machine>>();
  }
  bool is_stopped = false;  ///< its main program hangs
  std::function<void(std::uint8_t)> on_said{};

  [[nodiscard]] const std::vector<Step>& steps(std::size_t axis) const { return all().channels[axis].steps; }
  [[nodiscard]] const std::vector<Put>& puts() const { return all().puts; }
  [[nodiscard]] const std::vector<Duty>& duties() const { return all().duties; }
  [[nodiscard]] std::int64_t rested() const { return all().rested; }
  [[nodiscard]] std::int64_t place(std::size_t axis) const {
    return Machine::runs(static_cast<std::uint8_t>(axis)).position();
  }
  [[nodiscard]] bool is_playing(std::size_t axis) const {
    return Machine::runs(static_cast<std::uint8_t>(axis)).is_playing();
  }

  /// Bytes that it has said and that were not taken yet.
  [[nodiscard]] std::vector<std::uint8_t> take_said() { return std::exchange(all().said, {}); }

  struct Lock {
    Lock() {}  // NOLINT(modernize-use-equals-default): it is there to live, not to be used
  };
  struct Channel {
    bool is_on = false;
    bool makes = false;
    bool backwards = false;
    bool is_high = false;
    std::int64_t match = 0;
    std::vector<Step> steps{};
  };
  template <int which>
  struct StepChannel {
    typedef HostChip::Lock Lock;
    static Channel& own() { return all().channels[which]; }
    static std::uint16_t now() { return static_cast<std::uint16_t>(all().now); }
    static void at(std::uint16_t tick) {
      const auto ahead = static_cast<std::uint16_t>(tick - now());
      own().match = all().now + (ahead == 0 ? 0x10000 : ahead);
    }
    static void on() { own().is_on = true; }
    static void off() { own().is_on = own().makes = false; }
    static void makes_pulses(bool whether) { own().makes = whether; }
    static void end_pulse() { own().is_high = false; }
    static bool is_high() { return own().is_high; }
    static void end_pulse_when_long_enough() { end_pulse(); }
    static void direction(bool backwards) { own().backwards = backwards; }
  };
  typedef chip::StepAxis<StepChannel<0>> First;
  typedef chip::StepAxis<StepChannel<1>> Second;

  struct Machine {
    typedef First::Runs Runs;
    typedef HostChip::Lock Lock;
    static constexpr std::uint8_t axes = 2;
    static constexpr std::uint8_t counters = 1;
    static constexpr std::uint8_t loops = 1;
    static constexpr bool has_duties = true;
    static constexpr std::uint8_t run_room = 15;
    static constexpr std::uint32_t ticks_per_second = HostChip::ticks_per_second;
    static constexpr std::uint32_t mark = 0x1234abcd;
    static Runs& runs(std::uint8_t which) {
      if (which == 0) return *all().first;
      return *all().second;
    }
    static bool start_at(std::uint8_t which, std::uint16_t tick, std::uint16_t fraction) {
      return which == 0 ? all().first->start_at(tick, fraction) : all().second->start_at(tick, fraction);
    }
    static const chip::ChipLimits& limits(std::uint8_t) {
      static const chip::ChipLimits limits{20'000, 400, 40'000};
      return limits;
    }
    static void begin() { all().count.begin(0); }
    static void put(std::uint8_t line, bool high) { all().puts.push_back({all().now, line, high}); }
    static void put_duty(std::uint8_t line, std::uint16_t on) {
      all().duties.push_back({all().now, line, on});
    }
    static std::uint32_t told_count(std::uint8_t, std::uint32_t now) { return all().count.told(now); }
    static void rest() { ++all().rested; }
    static std::uint32_t now() { return static_cast<std::uint32_t>(all().now); }
    static std::uint16_t ms() { return static_cast<std::uint16_t>(all().now / 16'000); }
    static bool has_byte() { return !all().came.empty(); }
    static std::uint8_t byte() {
      const std::uint8_t oldest = all().came.front();
      all().came.pop_front();
      return oldest;
    }
    static std::uint8_t send_room() { return all().said.size() < 100 ? 120 : 0; }
    static void send(std::uint8_t byte) { all().said.push_back(byte); }
    static bool read(std::uint8_t line) { return all().levels[line]; }
    template <class Out>
    static void tell_inputs(Out& out) {
      out.byte(26);
    }
    static void convert(std::uint8_t) {}
    static bool has_code() { return true; }
    static std::uint16_t code() { return 512; }
  };

 private:
  struct All {
    std::int64_t now = 0;
    std::int64_t next_turn = 0;
    std::array<Channel, 2> channels{};
    std::array<bool, 128> levels{};
    std::deque<std::uint8_t> came{};
    std::vector<std::uint8_t> said{};
    std::vector<Put> puts{};
    std::vector<Duty> duties{};
    chip::LinkCount count{};
    std::int64_t rested = 0;
    std::unique_ptr<First> first = std::make_unique<First>();
    std::unique_ptr<Second> second = std::make_unique<Second>();
  };
  static All& all() {
    static All all;
    return all;
  }
  static void matched(std::size_t which) {
    Channel& channel = all().channels[which];
    channel.match += 0x10000;
    if (channel.makes) {
      channel.is_high = true;
      channel.steps.push_back({all().now, channel.backwards});
    }
    if (which == 0)
      play(*all().first);
    else
      play(*all().second);
  }
  template <class Axis>
  static void play(Axis& axis) {
    if (!axis.step() && !axis.next_run()) axis.next_part();
  }

  std::unique_ptr<chip::LinkNode<Machine>> node_;
};

}  // namespace cogstride::testing_support
