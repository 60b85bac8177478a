// The emulated chip at the other end of a line: bytes take their time, are delayed, and may be spoiled. Time
// is the chip's: it passes while somebody waits.
#pragma once

#include <cmath>
#include <cstdlib>
#include <deque>
#include <filesystem>
#include <functional>
#include <random>

#include "chip/chip.hpp"
#include "chip/made_chip.hpp"
#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/export/chip_memory.hpp"
#include "cogstride/export/firmware_folder.hpp"
#include "cogstride/export/make_program.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/port/byte_stream.hpp"

namespace cogstride::chip_bench {

class EmulatedLine final : public ByteStream {
 public:
  struct Setup {
    double baud = 57'600.0;
    std::int64_t delay_ns = 0;  ///< each way, beyond what bytes take
    double drift = 0.0;         ///< the chip's clock is faster by that share
    double clock = 16e6;        ///< that it has
  };
  EmulatedLine(Chip& chip, const Setup& setup) : chip_(chip), setup_(setup) {
    chip_.on_said = [this](std::uint8_t byte) { to_computer_.push_back({now_ns() + setup_.delay_ns, byte}); };
  }

  [[nodiscard]] std::int64_t now_ns() const override { return ns_of(chip_.now()); }
  std::size_t write(std::span<const std::uint8_t> bytes) override {
    if (is_unplugged) throw Error("the line is gone: it was unplugged");
    std::vector<std::uint8_t> all(bytes.begin(), bytes.end());
    if (on_its_way) on_its_way(all);
    const auto each_ns = static_cast<std::int64_t>(1e10 / setup_.baud);
    for (const std::uint8_t byte : all) {
      free_ns_ = std::max(free_ns_, now_ns()) + each_ns;
      to_chip_.push_back({free_ns_ + setup_.delay_ns, byte});
    }
    return bytes.size();
  }
  std::size_t read(std::span<std::uint8_t> bytes) override {
    if (is_unplugged) throw Error("the line is gone: it was unplugged");
    std::vector<std::uint8_t> all;
    while (!to_computer_.empty() && to_computer_.front().ns <= now_ns() && all.size() < bytes.size() / 4) {
      all.push_back(to_computer_.front().byte);
      to_computer_.pop_front();
    }
    if (on_its_way_back && !all.empty()) on_its_way_back(all);
    std::copy(all.begin(), all.end(), bytes.begin());
    return all.size();
  }
  void wait_until(std::int64_t ns) override {
    const std::int64_t until = std::max(ns, now_ns() + 20'000);
    while (now_ns() < until && !std::exchange(is_woken_, false)) {
      if (!to_computer_.empty() && to_computer_.front().ns <= now_ns()) return;
      pass(until);
    }
  }
  void wake() noexcept override { is_woken_ = true; }
  /// Time passes, and nobody looks.
  void pass_all(std::int64_t ns) {
    while (now_ns() < ns) pass(ns);
  }

  /// What may happen to bytes.
  std::function<void(std::vector<std::uint8_t>&)> on_its_way{};
  std::function<void(std::vector<std::uint8_t>&)> on_its_way_back{};
  bool is_unplugged = false;
  /// Lets the chip run for so many cycles; what turns a wheel meanwhile stands in its place.
  std::function<void(std::int64_t)> on_run{};

 private:
  struct Byte {
    std::int64_t ns;
    std::uint8_t byte;
  };
  [[nodiscard]] std::int64_t ns_of(std::int64_t cycle) const {
    return std::llround(static_cast<double>(cycle) * 1e9 / setup_.clock / (1.0 + setup_.drift));
  }
  void pass(std::int64_t until) {
    std::int64_t next = std::min(until, now_ns() + 20'000);
    if (!to_chip_.empty()) next = std::min(next, std::max(to_chip_.front().ns, now_ns()));
    const auto cycles = static_cast<std::int64_t>(
        std::ceil(static_cast<double>(next - now_ns()) * 1e-9 * setup_.clock * (1.0 + setup_.drift)));
    if (cycles > 0 && on_run)
      on_run(cycles);
    else if (cycles > 0)
      chip_.run(cycles);
    while (!to_chip_.empty() && to_chip_.front().ns <= now_ns()) {
      if (!is_unplugged) chip_.hear(to_chip_.front().byte);
      to_chip_.pop_front();
    }
  }

  Chip& chip_;
  Setup setup_;
  std::deque<Byte> to_chip_{};
  std::deque<Byte> to_computer_{};
  std::int64_t free_ns_ = 0;
  bool is_woken_ = false;
};

/// The link's program of a rig, built in a folder of its own.
inline std::string built_link(const Rig& rig, const std::string& name) {
  Making making = make_link_program(rig);
  for (const Finding& finding : making.findings) ADD_FAILURE() << finding.code << ": " << finding.what;
  making.made.rig_file = name + ".rig.toml";
  const std::string folder = (std::filesystem::temp_directory_path() / ("cogstride-link-" + name)).string();
  std::filesystem::remove_all(folder);
  const std::string command =
      write_firmware(making.made, folder, OutputFile::Existing::refused) + " -Wall -Wextra -Werror";
  EXPECT_EQ(std::system(command.c_str()), 0) << command;
  const std::string program = folder + "/" + making.made.parts.name + ".elf";
  const auto [flash, ram] = linked(program);
  const ChipMemory memory = chip_memory(making.made);
  EXPECT_NEAR(static_cast<double>(memory.flash), static_cast<double>(flash),
              0.05 * static_cast<double>(flash));
  EXPECT_NEAR(static_cast<double>(memory.ram), static_cast<double>(ram), 0.05 * static_cast<double>(ram));
  fmt::print("{} bytes of flash, {} foretold; {} of RAM, {} foretold\n", flash, memory.flash, ram,
             memory.ram);
  return program;
}

/// What came of a script over the link.
struct Linked {
  PlayedScript played{};
  std::string fault{};
  std::string conditions{};
  std::optional<std::int64_t> asked{};  ///< steps of the first axis, as the bench says at the end
};

inline std::optional<std::int64_t> steps_of(LiveBench& bench) {
  const Mechanism& mechanism = bench.rig().mechanisms[0];
  const std::optional<OutputPosition> place = bench.stepper(mechanism.name).position();
  if (!place) return std::nullopt;
  return (place->base * steps_per_base(mechanism)).rounded();
}

inline Linked play(const Rig& rig, const Script& script, EmulatedLine& line) {
  LiveBench::Options options;
  options.stream = &line;
  LiveBench bench(rig, options);
  ScriptPlayer player(script, bench.rig(), bench.cast());
  Linked linked;
  linked.played = play_script(bench, player);
  linked.asked = steps_of(bench);
  bench.close();
  linked.fault = bench.verdict().fault;
  linked.conditions = bench.played().conditions;
  return linked;
}

}  // namespace cogstride::chip_bench
