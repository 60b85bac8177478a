// The part for small chips on a Cortex-M0+, in an emulator: its port is proven, and what its compare is told
// is held against the host's player, tick by tick. The emulator has no pins of a timer; instructions are
// counted, and cycles from them as the core takes them: 2 for a load, a store or a branch that is taken, 3
// for a call, 1 + n for registers pushed and popped, 16 for an interrupt's begin and 13 for its end.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <map>
#include <sstream>
#include <string>
#include <vector>

#include "cogstride/chip/pulse_run.hpp"
#include "cogstride/plan/narrow_plan.hpp"
#include "cogstride/plan/ramp.hpp"

namespace cogstride::m0_test {
namespace {

constexpr double clock_rate = 16e6;

std::string output_of(const std::string& command) {
  FILE* const out = popen(command.c_str(), "r");
  std::string text;
  char some[4096];
  for (std::size_t size; (size = fread(some, 1, sizeof some, out)) > 0;) text.append(some, size);
  EXPECT_EQ(pclose(out), 0) << command << "\n" << text;
  return text;
}

std::filesystem::path folder() {
  const std::filesystem::path folder =
      std::filesystem::temp_directory_path() /
      (std::string("cogstride-m0-") + testing::UnitTest::GetInstance()->current_test_info()->name());
  std::filesystem::create_directories(folder);
  return folder;
}

/// @return the program
std::string built(const std::string& source) {
  const std::string program = folder() / (source + ".elf");
  const std::string root = COGSTRIDE_SOURCE_DIR;
  (void)output_of(fmt::format(
      "arm-none-eabi-g++ -std=c++14 -mcpu=cortex-m0plus -mthumb -Os -ffreestanding -fno-exceptions -fno-rtti "
      "-fno-threadsafe-statics -ffunction-sections -Wall -Wextra -Werror -nostartfiles -nostdlib -I{0} "
      "-I{0}/tests/chip/m0 "
      "-I{1} -T {0}/tests/chip/m0/machine.ld -Wl,--gc-sections {0}/tests/chip/m0/{2}.cpp -lgcc -o {3}",
      root, folder().string(), source, program));
  return program;
}

std::string emulated(const std::string& program, const std::string& more = "") {
  return output_of(
      fmt::format("timeout 100 qemu-system-arm -M microbit -nographic -icount shift=6,align=off,sleep=off "
                  "-semihosting-config "
                  "enable=on,target=native {} -kernel {} 2>&1",
                  more, program));
}

std::vector<long> numbers(std::istringstream& words) {
  std::vector<long> all;
  for (long number = 0; words >> number;) all.push_back(number);
  return all;
}

TEST(SecondPort, IsProvenByItsConformanceProgram) {
  // The right channel, and five that are wrong in one thing each: chip/conformance.hpp says which.
  EXPECT_EQ(emulated(built("conformance")), "0 2 4 5 7 8 \n");
}

/// A table of runs for the program.
void write_runs(const std::vector<chip::NarrowPulseRun>& runs) {
  std::ofstream file(folder() / "runs.inc");
  file << "#include \"cogstride/chip/pulse_run.hpp\"\nstatic const cogstride::chip::NarrowPulseRun runs[] = "
          "{\n";
  for (const chip::NarrowPulseRun& run : runs)
    file << fmt::format("    {{{}u, {}, {}, {}, {}}},\n", run.gap, run.change, run.bend, run.steps,
                        run.flags);
  file << "};\n";
}

/// There and back by planned ramps, without slow runs.
std::vector<chip::NarrowPulseRun> there_and_back() {
  const RampLimits limits{.speed = 8000.0, .acceleration = 40000.0, .start_speed = 600.0};
  std::vector<chip::NarrowPulseRun> runs = narrow_plan(plan_ramp({}, 600, limits), 0, clock_rate);
  std::erase_if(runs, [](const chip::NarrowPulseRun& run) { return (run.flags & chip::run_silent) != 0; });
  for (chip::NarrowPulseRun& run : runs) run.flags &= static_cast<std::uint8_t>(~chip::run_ends);
  const std::size_t there = runs.size();
  for (std::size_t i = 0; i < there; ++i) {
    runs.push_back(runs[i]);
    runs.back().flags |= chip::run_backwards;
  }
  runs.push_back({10000u << 16, 0, 0, 1, chip::run_silent | chip::run_ends});
  return runs;
}

TEST(SecondPort, IsToldEachTickThatTheHostsPlayerSays) {
  const std::vector<chip::NarrowPulseRun> runs = there_and_back();
  for (const chip::NarrowPulseRun& run : runs) ASSERT_EQ(run.flags & chip::run_slow, 0);
  write_runs(runs);
  std::istringstream said(emulated(built("player")));
  std::string line;
  std::getline(said, line);
  std::istringstream words(line);
  const std::vector<long> told = numbers(words);
  ASSERT_FALSE(told.empty());
  // The host's own player, with 64 bits and a fraction.
  std::vector<long> wanted{told.front()};
  chip::FineTick at{told.front(), 0};
  for (const chip::NarrowPulseRun& run : runs) {
    chip::PulsePlayer<chip::PulseRun> player(at);
    player.load(chip::wide_run(run));
    while (player.left() > 0) {
      player.advance();
      wanted.push_back(static_cast<long>(chip::nearest_tick(player.time()) & 0xffff));
    }
    at = player.time();
  }
  EXPECT_EQ(told, wanted);
  std::getline(said, line);
  EXPECT_EQ(line, "0 0 ") << "back where it began, and no run was late";
}

struct Instruction {
  std::string name{};
  int registers = 0;
  int bytes = 2;
};
std::map<unsigned, Instruction> instructions_of(const std::string& program) {
  std::map<unsigned, Instruction> all;
  std::istringstream lines(output_of("arm-none-eabi-objdump -d " + program));
  for (std::string line; std::getline(lines, line);) {
    const std::size_t colon = line.find(":\t");
    if (colon == std::string::npos || line.front() != ' ') continue;
    std::istringstream parts(line.substr(colon + 2));
    std::string bytes;
    std::getline(parts, bytes, '\t');
    Instruction own;
    parts >> own.name;
    std::string rest;
    std::getline(parts, rest);
    own.registers = static_cast<int>(std::count(rest.begin(), rest.end(), ',')) + 1;
    own.bytes = std::count(bytes.begin(), bytes.end(), ' ') > 1 ? 4 : 2;
    all[static_cast<unsigned>(std::stoul(line.substr(0, colon), nullptr, 16))] = own;
  }
  return all;
}

int cycles_of(const Instruction& each, bool is_left) {
  const std::string& name = each.name;
  if (name.starts_with("push") || name.starts_with("ldmia") || name.starts_with("stmia"))
    return 1 + each.registers;
  if (name.starts_with("pop")) return (is_left ? 3 : 1) + each.registers;
  if (name == "bl") return 3;
  if (name.starts_with("ldr") || name.starts_with("str")) return 2;
  return is_left ? 2 : 1;
}

TEST(SecondPort, StepsInSoManyInstructions) {
  write_runs(there_and_back());
  const std::string program = built("player");
  const std::map<unsigned, Instruction> instructions = instructions_of(program);
  // Where its interrupt begins and ends.
  unsigned begins = 0;
  unsigned size = 0;
  std::istringstream names(output_of("arm-none-eabi-nm -S " + program));
  for (std::string line; std::getline(names, line);)
    if (line.ends_with(" timer_handler")) {
      begins = static_cast<unsigned>(std::stoul(line.substr(0, 8), nullptr, 16)) & ~1u;
      size = static_cast<unsigned>(std::stoul(line.substr(9, 8), nullptr, 16));
    }
  ASSERT_GT(size, 0u);
  const std::string log = folder() / "log";
  (void)emulated(program, fmt::format("-singlestep -d exec,nochain -D {} -dfilter {:#x}..{:#x}", log, begins,
                                      begins + size - 1));
  std::ifstream traced(log);
  std::map<std::pair<int, int>, int> seen;  // instructions and cycles of an interrupt: how often
  std::vector<unsigned> places;
  const auto close = [&] {
    if (places.empty()) return;
    int cycles = 0;
    for (std::size_t i = 0; i < places.size(); ++i) {
      const Instruction& each = instructions.at(places[i]);
      const bool is_last = i + 1 == places.size();
      cycles += cycles_of(each, is_last || places[i + 1] != places[i] + static_cast<unsigned>(each.bytes));
    }
    ++seen[{static_cast<int>(places.size()), cycles + 16 + 13}];
    places.clear();
  };
  for (std::string line; std::getline(traced, line);) {
    const std::size_t from = line.find('[');
    if (from == std::string::npos || !line.starts_with("Trace")) continue;
    const auto place = static_cast<unsigned>(std::stoul(line.substr(from + 10, 8), nullptr, 16));
    if (place == begins) close();
    places.push_back(place);
  }
  close();
  const auto often = std::max_element(seen.begin(), seen.end(),
                                      [](const auto& a, const auto& b) { return a.second < b.second; });
  ASSERT_NE(often, seen.end());
  const auto [count, cycles] = often->first;
  fmt::print("a step on the Cortex-M0+: {} instructions, {} cycles\n", count, cycles);
  EXPECT_GT(often->second, 400);
  EXPECT_LT(cycles, 200);
}

}  // namespace
}  // namespace cogstride::m0_test
