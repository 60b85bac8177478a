// Programs made from rigs and scripts that nobody chose: each homes and ends where its rehearsal does, by the
// same edges.
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cstdlib>
#include <random>

#include "chip/made_chip.hpp"
#include "cogstride/plan/small_chip.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/report/compare_report.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/session/rehearsal.hpp"

namespace cogstride::chip_bench {
namespace {

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

ActiveLevel level(Chance& chance) {
  return chance.comes(0.5) ? ActiveLevel::high : ActiveLevel::low;
}

/// The lace winder with other pins, levels, boards, speeds and ways, one of its axes or both.
Rig random_rig(Chance& chance) {
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

std::string random_way(const Mechanism& mechanism, Chance& chance) {
  if (mechanism.name == "ring")
    return fmt::format("turn ring to {} deg{}", chance.whole(-20, 40),
                       chance.comes(0.3) ? fmt::format(" at {} deg/s", chance.whole(10, 30)) : "");
  return fmt::format("move carriage to {}.{} mm{}", chance.whole(0, 24), chance.whole(0, 9),
                     chance.comes(0.5) ? fmt::format(" at {} mm/s", chance.whole(10, 50)) : "");
}

constexpr std::int64_t longest_back_off_run = 8;  // steps

std::string homing_of(const Rig& rig) {
  std::string text;
  for (const Mechanism& mechanism : rig.mechanisms) text += fmt::format("home {}\n", mechanism.name);
  return text;
}
std::string random_script(const Rig& rig, Chance& chance) {
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

TEST(ChipExport, OfRandomRigsEndsWhereTheRehearsalDoes) {
  const bool is_slow = std::getenv("COGSTRIDE_SLOW") != nullptr;
  for (unsigned seed = is_slow ? 1 : 4; seed <= (is_slow ? 50 : 6); ++seed) {
    Chance chance(seed);
    const Rig rig = random_rig(chance);
    const std::string text = random_script(rig, chance);
    SCOPED_TRACE(fmt::format("seed {}:\n{}", seed, text));
    const Script script = parse_script(text, "x.moves", rig);
    std::map<std::string, OutputPosition> from;
    for (const Mechanism& mechanism : rig.mechanisms)
      from[mechanism.name] = parse_output<0>(mechanism.name == "ring" ? "-12 deg" : "2 mm");
    const Rehearsal rehearsal = rehearsed(rig, script, from);
    ASSERT_EQ(rehearsal.verdict.fault, "");
    MadeChip made(rig, rehearsal.trace, built(rig, &script, "random"));
    made.chip().run(static_cast<std::int64_t>((rehearsal.trace.ends_at + 0.3) * clock_rate));
    const RecordedTrace a = of_steps(before_its_end(rehearsal.trace));
    const RecordedTrace b = of_steps(made.trace());
    const TraceComparison comparison = compare_traces(a, b, 0.1);
    // A switch that lets go just as a run ends is noticed before or after the next one is put; the slow
    // approach is to its very edge again.
    const Script homing = parse_script(homing_of(rig), "x.moves", rig);
    const double homed_at = rehearsed(rig, homing, from).trace.ends_at;
    EXPECT_EQ(comparison.stretches_a, comparison.stretches_b);
    for (const ComparedStretch& stretch : comparison.stretches) {
      if (stretch.same) continue;
      EXPECT_LT(stretch.begins_a, homed_at - 0.2) << compare_text(comparison);
      for (const ComparedStretch::Line& line : stretch.lines)
        EXPECT_LE(std::abs(line.edges_a - line.edges_b), longest_back_off_run) << compare_text(comparison);
    }
    for (std::size_t axis = 0; axis < rig.mechanisms.size(); ++axis) {
      StepCount count(rig.mechanisms[axis]);
      std::vector<std::string> names;
      for (const std::string& name : count.names()) names.push_back(rig.mechanisms[axis].name + "." + name);
      for (const LineEdge& edge : edges_of(before_its_end(rehearsal.trace), names))
        (void)count.change(edge.line, edge.high);
      EXPECT_EQ(made.count(axis), count.count()) << compare_text(comparison);
    }
    EXPECT_NE(made.chip().said().find("ended at"), std::string::npos) << made.chip().said();
    const SmallChipFigures figures = figures_of(*rig.controller.small_chip, clock_rate);
    const auto only = [](RecordedTrace trace, bool steps) {
      std::erase_if(trace.lines, [&](const RecordedLine& line) {
        return line.name.ends_with(".step") != steps || (!steps && !line.name.starts_with("ring."));
      });
      return trace;
    };
    // A pass of a repeat begins when the main program sees that the one before is over.
    EXPECT_LT(compare_traces(only(a, true), only(b, true), 0.1).worst(),
              text.find("repeat") == std::string::npos ? 1e-9 : 10e-3);
    EXPECT_LE(compare_traces(only(a, false), only(b, false), 0.1).worst() * clock_rate,
              text.find("repeat") == std::string::npos
                  ? static_cast<double>(2 * figures.row_is_off + figures.other_axis_takes)
                  : 10e-3 * clock_rate);
  }
}

}  // namespace
}  // namespace cogstride::chip_bench
