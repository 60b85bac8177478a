// What following takes, asked beforehand: in words and for programs.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/plan/gearing.hpp"

namespace cogstride {

struct GearingReport {
  const Mechanism& follower;
  const Mechanism& leader;
  const Controller& controller;
  Gearing gearing{};
  std::optional<Ratio> wanted{};      ///< of change gears
  std::vector<ChangeGears> trains{};  ///< the nearest first
};

/// Whether the follower can follow its leader at its top speed.
[[nodiscard]] bool keeps_up(const GearingReport& report);
[[nodiscard]] std::string gearing_text(const GearingReport& report);
[[nodiscard]] std::string gearing_json(const GearingReport& report);

}  // namespace cogstride
