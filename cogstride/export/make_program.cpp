#include "cogstride/export/make_program.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/export/chip_memory.hpp"
#include "cogstride/export/compile_script.hpp"
#include "cogstride/link/link_map.hpp"
#include "cogstride/plan/run_shapes.hpp"
#include "cogstride/plan/small_chip.hpp"

namespace cogstride {
namespace {

constexpr double worst_baud = 0.025;  // of a bit's length that both ends still understand

class Rates {
 public:
  explicit Rates(const MadeProgram& made)
      : made_(made),
        clock_(made.rig->controller.timer_clock.base().to_double()),
        figures_(figures_of(*made.rig->controller.small_chip, clock_)) {}

  std::vector<Finding> find() {
    for (const ChipStretch& stretch : made_.program.stretches) look_at(stretch);
    const double wanted = static_cast<double>(made_.rig->controller.small_chip->serial_baud);
    const double made = clock_ / 8.0 / std::max(1.0, std::round(clock_ / 8.0 / wanted));
    if (std::abs(made / wanted - 1.0) > worst_baud)
      add("chip-serial", "",
          fmt::format("its clock makes {:.0f} baud of {:.0f}: {:.1f} % off", made, wanted,
                      100.0 * std::abs(made / wanted - 1.0)),
          fmt::format("serial_baud that {:.0f} / 8 can be divided into: 57600 of 16 MHz, or less", clock_));
    return std::move(findings_);
  }

 private:
  void add(const char* code, const std::string& mechanism, std::string what, std::string way_out) {
    const auto is_known = [&](const Finding& each) {
      return each.code == code && each.mechanism == mechanism;
    };
    if (std::none_of(findings_.begin(), findings_.end(), is_known))
      findings_.push_back({code, Severity::error, mechanism, {}, std::move(what), std::move(way_out)});
  }

  void look_at(const ChipStretch& stretch) {
    const auto axes = std::count_if(stretch.tables.begin(), stretch.tables.end(),
                                    [](const auto& tables) { return !tables.empty(); });
    const double most = axes > 1 ? figures_.rate_of_two : figures_.rate_of_one;
    for (std::size_t axis = 0; axis < stretch.tables.size(); ++axis) {
      const std::string& name = made_.rig->mechanisms[made_.program.axes[axis]].name;
      std::vector<double> ends;  // of its runs, ticks
      double at = 0.0;
      for (const std::size_t place : stretch.tables[axis]) {
        const RunTable& table = made_.program.tables[place];
        if (table.top_rate > 1.001 * most)
          add("chip-rate", name,
              fmt::format("{}: {:.0f} steps/s; the chip makes {:.0f} of {}", table.what, table.top_rate, most,
                          axes > 1 ? "each of two axes at once" : "one axis"),
              "slower, fewer microsteps, or one after the other");
        for (const chip::NarrowPulseRun& run : table.runs) ends.push_back(at += ticks_of(run));
        look_at_runs(name, table, ends);
      }
    }
  }
  /// The main program puts runs into a ring while they are played.
  void look_at_runs(const std::string& name, const RunTable& table, const std::vector<double>& ends) {
    const auto ring = static_cast<std::size_t>(figures_.runs_ahead);
    for (std::size_t i = ring; i < ends.size(); ++i) {
      const double each = (ends[i] - ends[i - ring]) / static_cast<double>(ring);
      if (each >= static_cast<double>(figures_.run_takes)) continue;
      add("chip-rate", name,
          fmt::format("{}: its runs follow each other in {:.0f} us, and putting one takes up to {:.0f} us",
                      table.what, 1e6 * each / clock_,
                      1e6 * static_cast<double>(figures_.run_takes) / clock_),
          "slower, or a gentler jerk");
      return;
    }
  }

  const MadeProgram& made_;
  double clock_;
  SmallChipFigures figures_;
  std::vector<Finding> findings_{};
};

}  // namespace

bool Making::is_sound() const {
  return std::all_of(findings.begin(), findings.end(),
                     [](const Finding& each) { return each.severity == Severity::note; });
}

namespace {

/// Its parts, rates and memory.
void make_parts(Making& making) {
  making.made.parts = chip_parts(*making.made.rig, making.made.program, making.findings);
  for (Finding& finding : Rates(making.made).find()) making.findings.push_back(std::move(finding));
  if (!making.is_sound()) return;
  for (Finding& finding : memory_findings(making.made)) making.findings.push_back(std::move(finding));
}

}  // namespace

Making make_program(const Rig& rig, const Script* script) {
  Making making;
  CompiledScript compiled = compile_script(rig, script);
  making.findings = std::move(compiled.findings);
  making.made.rig = &rig;
  making.made.program = std::move(compiled.program);
  if (making.is_sound()) make_parts(making);
  return making;
}

namespace {

/// All that moves, and no script.
Making of_rig_alone(const Rig& rig) {
  Making making;
  making.made.rig = &rig;
  making.made.program.axes = link_map(rig).axes;
  making.made.program.steps.push_back({{chip::ScriptDoes::end, 0, 0}, {}});
  return making;
}

}  // namespace

std::vector<Finding> chip_findings(const Rig& rig) {
  Making making = of_rig_alone(rig);
  make_parts(making);
  return std::move(making.findings);
}

Making make_link_program(const Rig& rig) {
  Making making = of_rig_alone(rig.whole ? *rig.whole : rig);
  making.made.is_linked = true;
  make_parts(making);
  // What hands do there is the computer's business.
  std::erase_if(making.findings, [](const Finding& each) { return each.severity == Severity::note; });
  if (making.made.program.axes.empty())
    making.findings.push_back({"chip-left-out",
                               Severity::error,
                               "",
                               {},
                               "nothing of the rig is an axis of steps",
                               "a mechanism with a stepper"});
  for (const auto& [name, why] : link_duties(*making.made.rig).refused)
    making.findings.push_back({"chip-left-out",
                               Severity::note,
                               name,
                               {},
                               fmt::format("{}: {}", name, why),
                               "docs/link.md has what it makes"});
  const auto cannot_count = [&](const std::string& name, const Encoder& encoder) {
    if (std::string why = why_no_chip_counts(encoder); !why.empty())
      making.findings.push_back({"chip-pin",
                                 Severity::error,
                                 name,
                                 {},
                                 std::move(why),
                                 "two pins of one port, and no filter but the wires'"});
  };
  for (const Mechanism& mechanism : making.made.rig->mechanisms)
    for (const Sensor& sensor : mechanism.sensors)
      if (const auto* const encoder = std::get_if<Encoder>(&sensor)) cannot_count(mechanism.name, *encoder);
  for (const Shaft& shaft : making.made.rig->shafts)
    if (shaft.encoder) cannot_count(shaft.name, *shaft.encoder);
  for (const LinkMap::Line& line : link_map(rig).lines)
    if (line.pin == Pin{'D', 0})
      making.findings.push_back({"chip-pin",
                                 Severity::error,
                                 "",
                                 {},
                                 fmt::format("{} is on D0, by which the chip hears the computer", line.name),
                                 "another pin"});
  return making;
}

}  // namespace cogstride
