// A script over a link to a small chip in the emulator, and what its pins did as a waveform: in the chip's
// own time, so that nothing of this computer is in it.
//
//   play_over_link RIG SCRIPT OUT.vcd [DELAY_MS]
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cstdio>
#include <exception>

#include "chip/linked_chip.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/script/script.hpp"

using namespace cogstride;
using namespace cogstride::chip_bench;

namespace {

void write_waveform(const RecordedTrace& trace, const std::string& path) {
  struct Change {
    std::int64_t ns;
    std::size_t line;
    bool high;
  };
  std::vector<Change> changes;
  std::string head = "$timescale 1 ns $end\n";
  std::string first = "#0\n$dumpvars\n";
  for (std::size_t i = 0; i < trace.lines.size(); ++i) {
    const RecordedLine& line = trace.lines[i];
    const std::size_t dot = line.name.find('.');
    const char mark = static_cast<char>('!' + i);
    head += fmt::format("$scope module {} $end\n$var wire 1 {} {} $end\n$upscope $end\n",
                        line.name.substr(0, dot), mark, line.name.substr(dot + 1));
    bool high = line.starts_high;
    first += fmt::format("{}{}\n", high ? 1 : 0, mark);
    for (const double at : line.edges) changes.push_back({std::llround(at * 1e9), i, high = !high});
  }
  std::stable_sort(changes.begin(), changes.end(),
                   [](const Change& a, const Change& b) { return a.ns < b.ns; });
  std::FILE* const file = std::fopen(path.c_str(), "w");
  if (file == nullptr) throw Error(path + ": cannot be written");
  fmt::print(file, "{}$enddefinitions $end\n{}$end\n", head, first);
  for (const Change& each : changes)
    fmt::print(file, "#{}\n{}{}\n", each.ns, each.high ? 1 : 0, static_cast<char>('!' + each.line));
  std::fclose(file);
}

int play_over(const std::string& rig_file, const std::string& script_file, const std::string& out,
              int delay_ms) {
  const Rig rig = read_rig(rig_file);
  const Script script = read_script(script_file, rig);
  MadeChip made(rig, {}, built_link(rig, rig.name == "Traverse" ? "of-traverse" : "of-lace"));
  EmulatedLine line(made.chip(),
                    {static_cast<double>(rig.controller.small_chip->serial_baud), delay_ms * 1'000'000});
  const Linked linked = play(rig, script, line);
  write_waveform(made.trace(), out);
  if (!linked.fault.empty()) fmt::print(stderr, "{}\n", linked.fault);
  return linked.fault.empty() ? 0 : 1;
}

}  // namespace

int main(int count, char** words) {
  if (count < 4) {
    fmt::print(stderr, "play_over_link RIG SCRIPT OUT.vcd [DELAY_MS]\n");
    return 2;
  }
  try {
    return play_over(words[1], words[2], words[3], count > 4 ? std::atoi(words[4]) : 0);
  } catch (const std::exception& error) {
    fmt::print(stderr, "play_over_link: {}\n", error.what());
    return 2;
  }
}
