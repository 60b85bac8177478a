// Holds the count of an encoder against its index, which comes at one place of its disc: edges that were
// missed or counted twice show there, by how many.
//
// The count at the index lies on the line between the looks before and after it, to a count; under an
// acceleration a it is off by no more than a T^2 / 8, T the time between two looks.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/sensors.hpp"

namespace cogstride {

class IndexCheck {
 public:
  /// Fewer counts than that are not told from the index's own width and the look's.
  static constexpr double told_from = 2.0;

  /// @param encoder  with an index line
  explicit IndexCheck(const Encoder& encoder);
  /// Its counts and the edges of its index, in the order in which they came.
  void take(std::span<const Reading> readings);
  /// How often the index has come since the first time.
  [[nodiscard]] std::int64_t looked() const { return looked_; }
  /// Counts by which it was off at the most, as things stood at the first index: fewer than there were, below
  /// 0.
  [[nodiscard]] std::int64_t most_off() const { return most_off_; }
  /// What has become worse, once.
  [[nodiscard]] std::string take_news() { return std::exchange(news_, {}); }

 private:
  struct Look {
    Tick at = 0;
    std::int64_t count = 0;
  };
  void came(Tick at, const Look& next);

  std::string name_;
  SourceId count_source_;
  SourceId index_source_;
  double counts_per_turn_;
  std::optional<Look> before_{};
  std::vector<Tick> waiting_{};  // edges of the index since the look before
  std::optional<double> first_{};
  std::int64_t looked_ = 0;
  std::int64_t off_ = 0;
  std::int64_t most_off_ = 0;
  std::string news_{};
};

}  // namespace cogstride
