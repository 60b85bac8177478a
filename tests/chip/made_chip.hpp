// A program made of a rig and a script, on the emulated chip, its sensors as they were in the rehearsal.
#pragma once

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <map>

#include "chip/chip.hpp"
#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/chip/coils.hpp"
#include "cogstride/export/chip_memory.hpp"
#include "cogstride/export/firmware_folder.hpp"
#include "cogstride/export/make_program.hpp"
#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/plan/excitation.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/session/position_memory.hpp"
#include "cogstride/session/rehearsal.hpp"
#include "cogstride/trace/recorded.hpp"

namespace cogstride::chip_bench {

inline constexpr double clock_rate = 16e6;

/// What a run's lines did, in seconds.
class TraceKeeper final : public TraceSink {
 public:
  void begin(const TraceLayout& layout) override {
    layout_ = layout;
    for (const TracedLine& line : layout.lines) {
      places_[line.id] = trace.lines.size();
      trace.lines.push_back({line.name, line.starts_high, {}});
    }
  }
  void edge(Tick at, LineId line, bool) override {
    trace.lines[places_.at(line)].edges.push_back(layout_.seconds(at));
  }
  void sample(Tick, std::span<const double>) override {}
  void event(const TraceEvent&) override {}
  void end(Tick at) override { trace.ends_at = layout_.seconds(at); }

  RecordedTrace trace{};

 private:
  TraceLayout layout_{};
  std::map<LineId, std::size_t> places_{};
};

struct Rehearsal {
  RecordedTrace trace{};
  Verdict verdict{};
};

inline Rehearsal rehearsed(const Rig& rig, const Script& script,
                           const std::map<std::string, OutputPosition>& from) {
  TraceKeeper keeper;
  SimulatedBench::Options options;
  options.trace = &keeper;
  options.start_positions = from;
  PositionMemory memory("", "", rig);
  Rehearsal run;
  run.verdict = rehearse(rig, script, std::move(options), memory, [](Bench& bench, ScriptPlayer& player) {
                  return play_script(bench, player);
                }).verdict;
  run.trace = std::move(keeper.trace);
  return run;
}

inline const RecordedLine& line_of(const RecordedTrace& trace, const std::string& name) {
  for (const RecordedLine& line : trace.lines)
    if (line.name == name) return line;
  throw std::runtime_error("no line " + name);
}

/// Net steps of an axis as its lines change: by STEP and DIR, or row by row.
class StepCount {
 public:
  explicit StepCount(const Mechanism& mechanism) {
    if (const auto* const wiring = std::get_if<StepDirWiring>(&mechanism.wiring)) {
      names_ = {"step", "dir"};
      forwards_high_ = wiring->dir.active == ActiveLevel::high;
    } else {
      names_ = {"a_plus", "a_minus", "b_plus", "b_minus"};
      stepping_ = coil_stepping(mechanism);
    }
    levels_.resize(names_.size());
  }
  [[nodiscard]] const std::vector<std::string>& names() const { return names_; }
  /// @return whether the count has changed
  bool change(std::size_t line, bool high) {
    levels_[line] = high;
    if (names_.size() == 2) {
      if (line != 0 || !high) return false;
      count_ += levels_[1] == forwards_high_ ? 1 : -1;
      return true;
    }
    int row = 0;
    for (std::size_t i = 0; i < levels_.size(); ++i) row |= levels_[i] ? 1 << i : 0;
    // Lines of one write change one after another here: what is no row, or no neighbour, is on the way to
    // one.
    for (const int way : {1, -1})
      if (chip::coil_row(stepping_, static_cast<std::int32_t>(count_ + way) & 7) == row) {
        count_ += way;
        return true;
      }
    return false;
  }
  /// The same, where it is known when, in cycles: coils that are switched off one by one make no step.
  bool change(std::size_t line, bool high, std::int64_t instant) {
    const std::int64_t was = count_;
    constexpr std::int64_t one_by_one = 400;
    if (instant - std::exchange(instant_, instant) > one_by_one) before_ = count_;
    (void)change(line, high);
    if (names_.size() == 4 && std::find(levels_.begin(), levels_.end(), true) == levels_.end())
      count_ = before_;
    return count_ != was;
  }
  [[nodiscard]] std::int64_t count() const { return count_; }

 private:
  std::vector<std::string> names_{};
  std::vector<bool> levels_{};
  bool forwards_high_ = true;
  chip::Stepping stepping_{};
  std::int64_t count_ = 0;
  std::int64_t instant_ = 0;  // of the last change, and the count before it
  std::int64_t before_ = 0;
};

struct LineEdge {
  double at;
  std::size_t line;
  bool high;
};

inline std::vector<LineEdge> edges_of(const RecordedTrace& trace, const std::vector<std::string>& names) {
  std::vector<LineEdge> all;
  for (std::size_t i = 0; i < names.size(); ++i) {
    const RecordedLine& line = line_of(trace, names[i]);
    bool high = line.starts_high;
    for (const double at : line.edges) all.push_back({at, i, high = !high});
  }
  std::stable_sort(all.begin(), all.end(), [](const LineEdge& a, const LineEdge& b) { return a.at < b.at; });
  return all;
}

/// A sensor that acts where it did in the rehearsal, whichever way the axis comes there: the first time as
/// the first time, and so on.
struct SensorPlay {
  Pin pin{};
  bool level = false;
  std::size_t axis = 0;
  /// What it did on one step: bounces and all.
  struct Happening {
    std::int64_t step = 0;
    bool is_upwards = true;
    std::vector<std::pair<double, bool>> levels{};  ///< s after the step
    [[nodiscard]] bool ends_high() const { return levels.back().second; }
  };
  std::map<std::pair<bool, bool>, std::vector<Happening>>
      happenings{};  ///< by their ways and levels, the last first

  /// @return what happens now, or null
  [[nodiscard]] const Happening* stepped(std::int64_t before, std::int64_t now) {
    const bool is_upwards = now > before;
    const auto known = happenings.find({is_upwards, !level});
    if (known == happenings.end()) return nullptr;
    const Happening& next = known->second.back();
    if (is_upwards ? before >= next.step || now < next.step : before <= next.step || now > next.step)
      return nullptr;
    level = !level;
    happens_ = next;
    if (known->second.size() > 1) known->second.pop_back();
    return &happens_;
  }

 private:
  Happening happens_{};
};

/// The made program on the emulated chip, its sensors as they were in the rehearsal.
class MadeChip {
 public:
  MadeChip(const Rig& rig, const RecordedTrace& rehearsal, const std::string& program)
      : rig_(rig), chip_(program) {
    for (const Mechanism& mechanism : rig.mechanisms) {
      if (!mechanism.is_movable()) continue;
      const std::size_t axis = counts_.size();
      counts_.emplace_back(mechanism);
      for (std::size_t i = 0; i < counts_.back().names().size(); ++i)
        watched_[pin_of_line(mechanism.name, counts_.back().names()[i])] = {axis, i};
      take_sensors(mechanism, axis, rehearsal);
    }
    for (SensorPlay& sensor : sensors_) chip_.drive(sensor.pin.port, sensor.pin.bit, sensor.level);
    for (const HandControl& hand : rig.hands)
      if (hand.line) {
        const Pin pin = *pin_of(*hand.line);
        chip_.drive(pin.port, pin.bit, hand.active == ActiveLevel::low);  // not pressed
      }
    chip_.on_edge = [this](char port, int bit, bool high) { changed(port, bit, high); };
  }
  [[nodiscard]] Chip& chip() { return chip_; }
  [[nodiscard]] std::int64_t count(std::size_t axis) const { return counts_[axis].count(); }

  /// Of all lines that the rehearsal has and the chip drives.
  [[nodiscard]] RecordedTrace trace() {
    RecordedTrace trace;
    trace.file = "chip";
    trace.ends_at = static_cast<double>(chip_.now()) / clock_rate;
    for (const RigLine& line : rig_lines(rig_)) {
      if (!line.is_output) continue;
      const Pin pin = *pin_of(line.number);
      RecordedLine own{line.mechanism == nullptr ? line.owner : line.owner + "." + line.use, false, {}};
      bool level = line.driven.active == ActiveLevel::low;
      own.starts_high = level;
      for (const PinEdge& edge : chip_.edges(pin.port, pin.bit)) {
        if (edge.high == level) continue;  // it is made an output, at rest
        level = edge.high;
        own.edges.push_back(static_cast<double>(edge.at) / clock_rate);
      }
      trace.lines.push_back(std::move(own));
    }
    return trace;
  }

 private:
  [[nodiscard]] Pin pin_of_line(const std::string& owner, const std::string& use) const {
    for (const RigLine& line : rig_lines(rig_))
      if (line.owner == owner && line.use == use) return *pin_of(line.number);
    throw std::runtime_error("no line " + owner + " " + use);
  }
  void take_sensors(const Mechanism& mechanism, std::size_t axis, const RecordedTrace& rehearsal) {
    for (const Sensor& sensor : mechanism.sensors) {
      const auto* const place = std::get_if<PlaceSwitch>(&sensor);
      if (place == nullptr) continue;
      SensorPlay play;
      play.pin = *pin_of(place->line);
      play.axis = axis;
      StepCount count(mechanism);
      std::vector<std::string> names;
      for (const std::string& name : count.names()) names.push_back(mechanism.name + "." + name);
      names.push_back(mechanism.name + "." + place->name);
      play.level = line_of(rehearsal, names.back()).starts_high;
      std::int64_t before = 0;
      double last = 0.0;
      bool up = true;
      double changed_at = -1.0;
      std::vector<SensorPlay::Happening> all;
      std::vector<double> stepped_at;
      for (const LineEdge& edge : edges_of(rehearsal, names)) {
        if (edge.line + 1 == names.size()) {
          // A contact that bounces is one.
          if (edge.at - changed_at > 4e-3) {
            all.push_back({count.count(), up, {}});
            stepped_at.push_back(last);
          }
          all.back().levels.emplace_back(edge.at - stepped_at.back(), edge.high);
          changed_at = edge.at;
          continue;
        }
        if (count.change(edge.line, edge.high, std::llround(edge.at * clock_rate))) {
          up = count.count() > before;
          before = count.count();
          last = edge.at;
          // The chip sees it some microseconds late: before that step all the same.
          constexpr double sees_in = 15e-6;
          if (!all.empty() && edge.at - changed_at < sees_in) all.back().levels.back().first -= sees_in;
        }
      }
      for (SensorPlay::Happening& each : all) {
        auto& known = play.happenings[{each.is_upwards, each.ends_high()}];
        known.insert(known.begin(), std::move(each));
      }
      sensors_.push_back(std::move(play));
    }
  }
  void changed(char port, int bit, bool high) {
    const auto found = watched_.find(Pin{port, bit});
    if (found == watched_.end()) return;
    const auto [axis, line] = found->second;
    const std::int64_t before = counts_[axis].count();
    if (!counts_[axis].change(line, high, chip_.now())) return;
    for (SensorPlay& sensor : sensors_) {
      if (sensor.axis != axis) continue;
      const SensorPlay::Happening* const happens = sensor.stepped(before, counts_[axis].count());
      if (happens == nullptr) continue;
      for (const auto& [later, high] : happens->levels)
        chip_.at(chip_.now() + std::llround(later * clock_rate),
                 [this, pin = sensor.pin, high = high] { chip_.drive(pin.port, pin.bit, high); });
    }
  }

  struct ByPlace {
    bool operator()(const Pin& a, const Pin& b) const {
      return std::pair(a.port, a.bit) < std::pair(b.port, b.bit);
    }
  };
  const Rig& rig_;
  Chip chip_;
  std::vector<StepCount> counts_{};
  std::map<Pin, std::pair<std::size_t, std::size_t>, ByPlace> watched_{};
  std::vector<SensorPlay> sensors_{};
};

/// Bytes of flash and RAM that the linker has given.
inline std::pair<std::int64_t, std::int64_t> linked(const std::string& program) {
  const std::string command = "avr-size " + program;
  FILE* const out = popen(command.c_str(), "r");
  long long text = 0;
  long long data = 0;
  long long bss = 0;
  EXPECT_EQ(fscanf(out, "%*[^\n] %lld %lld %lld", &text, &data, &bss), 3);
  pclose(out);
  return {text + data, data + bss};
}

/// Built in a folder of its own; its memory was foretold. @return the program
inline std::string built(const Rig& rig, const Script* script, const std::string& name) {
  Making making = make_program(rig, script);
  for (const Finding& finding : making.findings)
    if (finding.severity != Severity::note) ADD_FAILURE() << finding.code << ": " << finding.what;
  MadeProgram& made = making.made;
  made.rig_file = "lace.rig.toml";
  made.script_file = "lace.moves";
  const std::string folder = (std::filesystem::temp_directory_path() / ("cogstride-chip-" + name)).string();
  std::filesystem::remove_all(folder);
  const std::string command =
      write_firmware(made, folder, OutputFile::Existing::refused) + " -Wall -Wextra -Werror";
  EXPECT_EQ(std::system(command.c_str()), 0) << command;
  const std::string program = folder + "/" + made.parts.name + ".elf";
  const auto [flash, ram] = linked(program);
  const ChipMemory memory = chip_memory(made);
  EXPECT_NEAR(static_cast<double>(memory.flash), static_cast<double>(flash),
              0.05 * static_cast<double>(flash));
  EXPECT_NEAR(static_cast<double>(memory.ram), static_cast<double>(ram), 0.05 * static_cast<double>(ram));
  fmt::print("{} bytes of flash, {} foretold; {} of RAM, {} foretold\n", flash, memory.flash, ram,
             memory.ram);
  return program;
}

/// Without what comes at its end: all lines to rest.
inline RecordedTrace before_its_end(RecordedTrace trace) {
  for (RecordedLine& line : trace.lines)
    std::erase_if(line.edges, [&](double at) { return at > trace.ends_at - 0.05; });
  return trace;
}

/// STEP lines by their edges that count: a pulse ends when its interrupt ends it.
inline RecordedTrace of_steps(RecordedTrace trace) {
  for (RecordedLine& line : trace.lines) {
    if (!line.name.ends_with(".step")) continue;
    std::vector<double> rising;
    for (std::size_t i = 0; i < line.edges.size(); i += 2) rising.push_back(line.edges[i]);
    line.edges = std::move(rising);
  }
  return trace;
}

}  // namespace cogstride::chip_bench
