// What was measured of the line to a small chip.
#pragma once

#include <cstdint>
#include <string>

namespace cogstride {

struct LinkResult {
  std::string on{};  ///< the port
  double nominal_bytes_per_second = 0.0;
  double carried_bytes_per_second = 0.0;  ///< of frames that were heard, while it was given all it takes
  std::int64_t questions = 0;
  std::int64_t answers = 0;
  double least_trip = 0.0;  ///< s from a question to its answer
  double median_trip = 0.0;
  double worst_trip = 0.0;
  double bytes_take = 0.0;      ///< s of that, by the bytes of the two
  double added = 0.0;           ///< s that the line and this computer add each way, at worst
  std::int64_t spoiled = 0;     ///< frames that came and were none
  std::int64_t sent_again = 0;  ///< orders that were not heard at once
  double may_add = 0.0;         ///< s each way, as the rig says (controller.link.delay)
  double proposed = 0.0;        ///< s that it might say
  /// Whether the rig's figure holds, and nothing was lost.
  [[nodiscard]] bool holds() const { return answers > 0 && added <= may_add && spoiled == 0; }
};

}  // namespace cogstride
