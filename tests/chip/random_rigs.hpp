// Rigs and scripts that nobody chose: the lace winder with other pins, levels, boards, speeds and ways.
#pragma once

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>
#include <map>
#include <random>
#include <string>
#include <vector>

#include "chip/made_chip.hpp"
#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/report/compare_report.hpp"
#include "cogstride/rig/files/read_rig.hpp"

namespace cogstride::chip_bench {

class Chance {
 public:
  explicit Chance(unsigned seed) : engine_(seed) {}
  int whole(int least, int most) { return std::uniform_int_distribution<int>(least, most)(engine_); }
  bool comes(double share) { return std::uniform_real_distribution<double>(0.0, 1.0)(engine_) < share; }
  template <class T>
  const T& one_of(const std::vector<T>& all) {
    return all[static_cast<std::size_t>(whole(0, static_cast<int>(all.size()) - 1))];
  }
  template <class T>
  void shuffle(T& all) {
    std::shuffle(all.begin(), all.end(), engine_);
  }

 private:
  std::mt19937 engine_;
};

inline ActiveLevel level(Chance& chance) {
  return chance.comes(0.5) ? ActiveLevel::high : ActiveLevel::low;
}

/// The lace winder with other pins, levels, boards, speeds and ways, one of its axes or both.
inline Rig random_rig(Chance& chance) {
  Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml");
  std::vector<std::int64_t> free;
  for (const char* const pin : {"D2", "D3", "D4", "B0", "B3"})
    free.push_back(cogstride::line_of(*read_pin(pin)));
  chance.shuffle(free);
  const auto next = [&] {
    const std::int64_t line = free.back();
    free.pop_back();
    return line;
  };
  for (Mechanism& mechanism : rig.mechanisms) {
    auto& place = std::get<PlaceSwitch>(mechanism.sensors.front());
    place.line = next();
    place.active = level(chance);
    if (auto* const wiring = std::get_if<StepDirWiring>(&mechanism.wiring)) {
      wiring->step.number = cogstride::line_of(*read_pin(chance.comes(0.5) ? "B1" : "B2"));
      wiring->dir.number = next();
      wiring->dir.active = level(chance);
      wiring->enable->number = next();
      auto& board = std::get<StepDirBoard>(mechanism.board);
      board.microsteps = chance.one_of(std::vector<std::int64_t>{2, 4, 8});
      if (chance.comes(0.5)) mechanism.limits.jerk.reset();
    } else {
      auto& coils = std::get<CoilWiring>(mechanism.wiring);
      std::array<int, 4> bits{0, 1, 2, 3};
      chance.shuffle(bits);
      for (std::size_t i = 0; i < coils.coils.size(); ++i)
        coils.coils[i].number = cogstride::line_of(Pin{'C', bits[i]});
      const auto& board = std::get<TransistorArray>(mechanism.board);
      for (std::size_t i = 0; i < coils.terminals.size(); ++i)
        coils.terminals[i] = coils.coils[static_cast<std::size_t>(board.terminals[i])].number;
      std::get<TransistorArray>(mechanism.board).stepping =
          chance.comes(0.5) ? Stepping::half : Stepping::full;
    }
  }
  rig.outputs.front().line.active = level(chance);
  if (chance.comes(0.3)) return only_with(rig, {chance.comes(0.5) ? "carriage" : "ring"});
  if (chance.comes(0.5)) std::swap(rig.mechanisms[0], rig.mechanisms[1]);
  return rig;
}

inline std::string random_way(const Mechanism& mechanism, Chance& chance) {
  if (mechanism.name == "ring")
    return fmt::format("turn ring to {} deg{}", chance.whole(-20, 40),
                       chance.comes(0.3) ? fmt::format(" at {} deg/s", chance.whole(10, 30)) : "");
  return fmt::format("move carriage to {}.{} mm{}", chance.whole(0, 24), chance.whole(0, 9),
                     chance.comes(0.5) ? fmt::format(" at {} mm/s", chance.whole(10, 50)) : "");
}

inline std::string homing_of(const Rig& rig) {
  std::string text;
  for (const Mechanism& mechanism : rig.mechanisms) text += fmt::format("home {}\n", mechanism.name);
  return text;
}
inline std::string random_script(const Rig& rig, Chance& chance) {
  std::string text = (chance.comes(0.5) ? "switch lamp on\n" : "") + homing_of(rig);
  for (int i = chance.whole(1, 3); i > 0; --i) {
    const int what = chance.whole(0, 4);
    if (what == 0) {
      text += fmt::format("wait {} ms\n", chance.whole(20, 400));
    } else if (what == 1 && rig.mechanisms.size() == 2) {
      text += "start together\n";
      for (const Mechanism& mechanism : rig.mechanisms) text += random_way(mechanism, chance) + "\n";
      text += "end\n";
    } else if (what == 2) {
      const Mechanism& mechanism = chance.one_of(rig.mechanisms);
      text += fmt::format("repeat {} times\n{}\n{}\nend\n", chance.whole(2, 5), random_way(mechanism, chance),
                          random_way(mechanism, chance));
    } else {
      text += random_way(chance.one_of(rig.mechanisms), chance) + "\n";
    }
    if (chance.comes(0.3)) text += chance.comes(0.5) ? "switch lamp on\n" : "switch lamp off\n";
  }
  return text;
}

/// Where its axes stand before they are homed.
inline std::map<std::string, OutputPosition> starts_of(const Rig& rig) {
  std::map<std::string, OutputPosition> from;
  for (const Mechanism& mechanism : rig.mechanisms)
    from[mechanism.name] = parse_output<0>(mechanism.name == "ring" ? "-12 deg" : "2 mm");
  return from;
}

/// STEP lines of a trace, or the ring's coils.
inline RecordedTrace only_steps(RecordedTrace trace, bool by_pulses) {
  std::erase_if(trace.lines, [&](const RecordedLine& line) {
    return line.name.ends_with(".step") != by_pulses || (!by_pulses && !line.name.starts_with("ring."));
  });
  return trace;
}

/// The same edges as were rehearsed but for `most` of a stretch of the homing, whose slow approach is to the
/// very edge again; and the same place of each axis at the end.
inline void expect_as_rehearsed(const Rig& rig, const Rehearsal& rehearsal, const TraceComparison& comparison,
                                const MadeChip& made, std::int64_t most) {
  const Script homing = parse_script(homing_of(rig), "x.moves", rig);
  const double homed_at = rehearsed(rig, homing, starts_of(rig)).trace.ends_at;
  for (const ComparedStretch& stretch : comparison.stretches) {
    if (stretch.same) continue;
    EXPECT_LT(stretch.begins_a, homed_at - 0.2) << compare_text(comparison);
    for (const ComparedStretch::Line& line : stretch.lines)
      EXPECT_LE(std::abs(line.edges_a - line.edges_b), most) << compare_text(comparison);
  }
  for (std::size_t axis = 0; axis < rig.mechanisms.size(); ++axis) {
    StepCount count(rig.mechanisms[axis]);
    std::vector<std::string> names;
    for (const std::string& name : count.names()) names.push_back(rig.mechanisms[axis].name + "." + name);
    for (const LineEdge& edge : edges_of(before_its_end(rehearsal.trace), names))
      (void)count.change(edge.line, edge.high, std::llround(edge.at * clock_rate));
    EXPECT_EQ(made.count(axis), count.count()) << compare_text(comparison);
  }
}

}  // namespace cogstride::chip_bench
