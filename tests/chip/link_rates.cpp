// What a link carries, counted in the emulator: bytes a step, what steps a line of that rate is enough for,
// and how soon a cut is obeyed while the line is busy.
//
//   link_rates
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>

#include "chip/linked_chip.hpp"
#include "cogstride/plan/link_figures.hpp"
#include "cogstride/rig/files/read_rig.hpp"

using namespace cogstride;
using namespace cogstride::chip_bench;

namespace {

Rig rig_of(std::int64_t baud, bool both) {
  Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml");
  rig.controller.link.emplace();
  rig.controller.link->port = "emulated";
  rig.controller.small_chip->serial_baud = baud;
  for (Mechanism& mechanism : rig.mechanisms) {
    mechanism.sensors.clear();
    mechanism.homing.reset();
  }
  if (both) return rig;
  rig = only_with(rig, {"carriage"});
  rig.whole.reset();
  return rig;
}

struct Tried {
  const char* name;
  std::string words;
  bool both;
};

void steps_over(std::int64_t baud, const Tried& tried) {
  const Rig rig = rig_of(baud, tried.both);
  const Script script = parse_script(tried.words, "x.moves", rig);
  MadeChip made(rig, {}, built_link(rig, "rates"));
  EmulatedLine line(made.chip(), {static_cast<double>(baud)});
  std::int64_t bytes = 0;
  line.on_its_way = [&](std::vector<std::uint8_t>& all) { bytes += static_cast<std::int64_t>(all.size()); };
  const std::int64_t begins = line.now_ns();
  const Linked linked = play(rig, script, line);
  const double lasts = 1e-9 * static_cast<double>(line.now_ns() - begins);
  std::int64_t steps = 0;
  for (const auto& recorded : of_steps(made.trace()).lines) {
    if (recorded.name.ends_with(".step")) steps += static_cast<std::int64_t>(recorded.edges.size());
    // Half steps: an edge each.
    if (recorded.name.starts_with("ring.")) steps += static_cast<std::int64_t>(recorded.edges.size());
  }
  const double share = static_cast<double>(bytes) / lasts / (static_cast<double>(baud) / 10.0);
  fmt::print(
      "{:>8} baud  {:<34} {:6} steps in {:4.1f} s  {:5.2f} bytes a step  {:4.1f} % of the line  {} lost {}\n",
      baud, tried.name, steps, lasts, static_cast<double>(bytes) / static_cast<double>(steps), 100.0 * share,
      made.chip().overruns(), linked.fault);
}

void cuts_over(std::int64_t baud) {
  const Rig rig = rig_of(baud, false);
  const Script script =
      parse_script("repeat 20 times\nmove carriage to 4 mm\nmove carriage to 0 mm\nend\n", "x.moves", rig);
  const std::string program = built_link(rig, "rates");
  double worst = 0.0;
  double sum = 0.0;
  constexpr int times = 20;
  for (int i = 0; i < times; ++i) {
    MadeChip made(rig, {}, program);
    EmulatedLine line(made.chip(), {static_cast<double>(baud)});
    LiveBench::Options options;
    options.stream = &line;
    LiveBench bench(rig, options);
    ScriptPlayer player(script, bench.rig(), bench.cast());
    const std::int64_t cuts_at = line.now_ns() + 420'000'000 + 13'700'000 * i;
    std::int64_t cut_at = 0;
    (void)play_script(bench, player, [&] {
      if (cut_at != 0 || line.now_ns() < cuts_at) return;
      cut_at = line.now_ns();
      bench.stop(StopBy::cut, "cut");
    });
    const auto& enable = made.chip().edges('B', 0);
    const double took =
        static_cast<double>(enable.back().at) / clock_rate - 1e-9 * static_cast<double>(cut_at);
    worst = std::max(worst, took);
    sum += took;
  }
  const LinkFigures figures = link_figures(rig.controller);
  fmt::print(
      "{:>8} baud  from a cut to lines at rest: {:.1f} ms, {:.1f} ms at worst of {}; a command takes effect "
      "{:.1f} ms later\n",
      baud, 1e3 * sum / times, 1e3 * worst, times, 1e3 * static_cast<double>(figures.lead) / clock_rate);
}

}  // namespace

int main(int count, char**) {
  const std::vector<Tried> motions{
      {"one axis, 80 mm at 8000 steps/s", "move carriage to 80 mm\n", false},
      {"one axis, 0.5 mm to and fro",
       "repeat 20 times\nmove carriage to 0.5 mm\nmove carriage to 0 mm\nend\n", false},
      {"two axes, a layer and a station",
       "start together\nmove carriage to 80 mm\nturn ring to 40 deg\nend\n", true},
      {"two axes, one follows the other",
       "gear carriage to ring by 60 mm for each turn\nturn ring to 30 deg\nturn ring to 0 deg\nlet carriage "
       "go\n",
       true}};
  for (const std::int64_t baud : {115'200, 500'000, 1'000'000})
    for (const Tried& tried : motions)
      if (count == 1 || tried.words.starts_with("gear")) steps_over(baud, tried);
  if (count > 1) return 0;
  for (const std::int64_t baud : {115'200, 500'000, 1'000'000}) cuts_over(baud);
  return 0;
}
