// What stands around the mechanisms of a simulated bench: hands on keys and stops, lines that tell of
// supplies and of boards. Each line has a level at power-up and changes at given instants; one that tells of
// a supply is low as well while a switch cuts that supply.
#pragma once

#include <algorithm>
#include <utility>

#include "cogstride/plant/plant.hpp"

namespace cogstride {

/// A line that is high while a supply is up.
struct SupplyLine {
  LineId line;
  std::vector<Level> cut_by{};  ///< switches that open it, with the level of an open one
};

/// A voltage at an analogue input from an instant on: of a knob that is turned.
struct AnalogueChange {
  Tick at;
  SourceId source;
  double volts;
};

class Surroundings final : public Plant {
 public:
  /// @param changes  in any order; several of one line at one tick in the order in which they stand
  Surroundings(const std::vector<Level>& at_power_up, std::vector<LineEdge> changes,
               std::vector<SupplyLine> supplies = {}, std::vector<AnalogueChange> voltages = {})
      : supplies_(std::move(supplies)), changes_(std::move(changes)), voltages_(std::move(voltages)) {
    std::stable_sort(voltages_.begin(), voltages_.end(),
                     [](const AnalogueChange& a, const AnalogueChange& b) { return a.at < b.at; });
    for (const AnalogueChange& change : voltages_)
      if (std::find(sources_.begin(), sources_.end(), change.source) == sources_.end())
        sources_.push_back(change.source);
    for (const Level& level : at_power_up) state_.lines.push_back({level.line, level.high, level.high});
    for (const SupplyLine& supply : supplies_) {
      state_.lines.push_back({supply.line, true, true});
      for (const Level& cut : supply.cut_by) {
        hears_.push_back(cut.line);
        state_.open.push_back(false);
      }
    }
    std::stable_sort(changes_.begin(), changes_.end(),
                     [](const LineEdge& a, const LineEdge& b) { return a.at < b.at; });
    while (next_change() <= 0) take_change();
    for (Line& line : state_.lines) line.told = line.high;
    kept_ = state_;
  }

  [[nodiscard]] std::span<const LineId> hears() const override { return hears_; }
  [[nodiscard]] std::span<const SourceId> measures() const override { return sources_; }
  [[nodiscard]] double measure(SourceId source) const override {
    double volts = 0.0;
    for (const AnalogueChange& change : voltages_) {
      if (change.at > state_.now) break;
      if (change.source == source) volts = change.volts;
    }
    return volts;
  }
  [[nodiscard]] std::vector<Level> drives() const override {
    std::vector<Level> levels;
    for (const Line& line : state_.lines) levels.push_back({line.line, line.told});
    return levels;
  }
  void hear(LineId line, bool high) override {
    std::size_t i = 0;
    for (const SupplyLine& supply : supplies_)
      for (const Level& cut : supply.cut_by) {
        if (cut.line == line) state_.open[i] = high == cut.high;
        ++i;
      }
    has_changed_ = state_.to_tell = true;
  }
  std::optional<LineEdge> advance(Tick until) override {
    for (;;) {
      if (const std::optional<LineEdge> edge = tell()) return edge;
      if (next_change() > until) break;
      state_.now = std::max(state_.now, next_change());
      take_change();
    }
    state_.now = until;
    return std::nullopt;
  }
  void keep() override {
    if (!std::exchange(has_changed_, false)) {
      kept_.now = state_.now;
      return;
    }
    kept_ = state_;
  }
  void go_back() override {
    if (!std::exchange(has_changed_, false)) {
      state_.now = kept_.now;
      return;
    }
    state_ = kept_;
  }

 private:
  struct Line {
    LineId line;
    bool high;  // as its changes have it
    bool told;  // as the controller sees it
  };
  struct State {
    Tick now = 0;
    std::size_t next = 0;  // of the changes
    bool to_tell = false;  // a line may stand otherwise than the controller has seen
    std::vector<Line> lines{};
    std::vector<bool> open{};  // the switches of all supplies, in their order
  };

  [[nodiscard]] Tick next_change() const {
    return state_.next == changes_.size() ? never : changes_[state_.next].at;
  }
  void take_change() {
    const LineEdge& change = changes_[state_.next++];
    for (Line& line : state_.lines)
      if (line.line == change.line) line.high = change.high;
    has_changed_ = state_.to_tell = true;
  }
  [[nodiscard]] bool is_cut(LineId line) const {
    std::size_t i = 0;
    for (const SupplyLine& supply : supplies_)
      for (std::size_t cut = 0; cut < supply.cut_by.size(); ++cut)
        if (state_.open[i++] && supply.line == line) return true;
    return false;
  }
  /// A line whose level the controller has not seen yet.
  std::optional<LineEdge> tell() {
    if (!state_.to_tell) return std::nullopt;
    for (Line& line : state_.lines) {
      const bool high = line.high && !is_cut(line.line);
      if (high == line.told) continue;
      line.told = high;
      has_changed_ = true;
      return LineEdge{state_.now, line.line, high};
    }
    has_changed_ = true;
    state_.to_tell = false;
    return std::nullopt;
  }

  std::vector<SupplyLine> supplies_;
  std::vector<LineEdge> changes_;
  std::vector<AnalogueChange> voltages_;
  std::vector<SourceId> sources_{};
  std::vector<LineId> hears_{};
  State state_{};
  State kept_{};
  bool has_changed_ = false;  // since it was kept: a run asks it to be kept at every pulse
};

}  // namespace cogstride
