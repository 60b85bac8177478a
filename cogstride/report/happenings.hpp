// What happened in a run, a row for each motion and one for whatever else there was.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/trace/event_log.hpp"

namespace cogstride {

struct Happening {
  double at = 0.0;               ///< s
  std::optional<double> took{};  ///< s, of a motion that has ended
  std::string words{};           ///< "traverse: move to 40 mm"
  bool is_fault = false;
  bool is_always_told = false;
};

[[nodiscard]] std::vector<Happening> happenings_of(const EventLog& log);

}  // namespace cogstride
