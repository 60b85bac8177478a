// What a run came to, as plain values and words, whichever kinds moved: of each mover what was asked and what
// was made of it, what is wrong, what was held against what, and what could not be.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "cogstride/lines/events.hpp"

namespace cogstride {

/// A figure of a verdict. NaN: not known.
struct VerdictFigure {
  std::string name{};  ///< "highest_current"
  double value = 0.0;
  std::string unit{};  ///< "A"; "" of a count
};

/// Something that happened once, and when.
struct VerdictMoment {
  Tick at = 0;
  std::string what{};
  std::vector<VerdictFigure> figures{};
};

/// What explains what is wrong with a mover. What nothing in the record tells apart stands in one.
struct VerdictCause {
  std::string name{};   ///< "microsteps"
  std::string words{};  ///< what to look at, with the keys of the rig
};

struct MoverVerdict {
  std::string name{};
  std::string kind{};      ///< "stepper", "wheeled pair"
  bool has_moved = false;  ///< else nothing was asked of it
  std::string sum{};       ///< "asked to stand at 40 mm, stands at 40.002 mm"
  struct Row {
    std::string about{};  ///< "current"
    std::string words{};
  };
  std::vector<Row> rows{};
  std::vector<VerdictFigure> figures{};
  std::vector<VerdictMoment> moments{};
  std::vector<std::string> complaints{};     ///< what is wrong, each with its evidence
  std::vector<VerdictCause> causes{};        ///< of that, the likeliest first
  std::vector<std::string> looked_at{};      ///< what was held against what
  std::vector<std::string> not_looked_at{};  ///< what could not be, and why
  std::vector<std::string> guesses{};        ///< figures of the rig that it rests on, and nobody has checked

  [[nodiscard]] bool is_sound() const { return complaints.empty(); }
  /// @throws RangeError when it has none of that name, with those that it has
  [[nodiscard]] double figure(const std::string& figure_name) const;
  void add(std::string figure_name, double value, std::string unit = {}) {
    figures.push_back({std::move(figure_name), value, std::move(unit)});
  }
};

struct Verdict {
  double seconds = 0.0;  ///< of the bench's time
  std::string fault{};   ///< empty: none
  std::vector<MoverVerdict> movers{};

  [[nodiscard]] bool is_sound() const;
  /// @throws RangeError when there is none of that name, with those that there are
  [[nodiscard]] const MoverVerdict& of(const std::string& mover) const;
};

}  // namespace cogstride
