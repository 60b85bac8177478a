// What stands around the mechanisms of a simulated bench: hands on keys and stops, lines that tell of
// supplies and of boards. Each line has a level at power-up and changes at given instants.
#pragma once

#include <algorithm>

#include "cogstride/plant/plant.hpp"

namespace cogstride {

class Surroundings final : public Plant {
 public:
  /// @param changes  in any order; several of one line at one tick in the order in which they stand
  Surroundings(std::vector<Level> at_power_up, std::vector<LineEdge> changes)
      : levels_(std::move(at_power_up)), changes_(std::move(changes)) {
    std::stable_sort(changes_.begin(), changes_.end(),
                     [](const LineEdge& a, const LineEdge& b) { return a.at < b.at; });
    for (; next_ < changes_.size() && changes_[next_].at <= 0; ++next_) set(changes_[next_]);
    kept_ = next_;
  }

  [[nodiscard]] std::span<const LineId> hears() const override { return {}; }
  [[nodiscard]] std::vector<Level> drives() const override { return levels_; }
  void hear(LineId, bool) override {}
  std::optional<LineEdge> advance(Tick until) override {
    if (next_ == changes_.size() || changes_[next_].at > until) return std::nullopt;
    return changes_[next_++];
  }
  void keep() override { kept_ = next_; }
  void go_back() override { next_ = kept_; }

 private:
  void set(const LineEdge& change) {
    for (Level& level : levels_)
      if (level.line == change.line) level.high = change.high;
  }

  std::vector<Level> levels_;  // at power-up
  std::vector<LineEdge> changes_;
  std::size_t next_ = 0;
  std::size_t kept_ = 0;
};

}  // namespace cogstride
