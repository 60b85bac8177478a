// Waiting for so long at the most.
#pragma once

#include <fmt/format.h>

#include <optional>
#include <string>

#include "cogstride/script/verbs/verb.hpp"

namespace cogstride {

class Patience {
 public:
  /// @param longest  nothing: for ever
  Patience(const Stage& stage, const std::optional<ExactTime>& longest)
      : began_(stage.lines.now()),
        until_(longest ? began_ + stage.ticks(*longest) : never),
        ticks_per_second_(stage.cast.clock.base().to_double()) {}
  [[nodiscard]] Tick until() const { return until_; }
  [[nodiscard]] bool is_out(Tick now) const { return now >= until_; }
  /// "10 s"
  [[nodiscard]] std::string waited(Tick now) const {
    return fmt::format("{:.4g} s", static_cast<double>(now - began_) / ticks_per_second_);
  }

 private:
  Tick began_;
  Tick until_;
  double ticks_per_second_;
};

}  // namespace cogstride
