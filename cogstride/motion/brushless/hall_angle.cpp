#include "cogstride/motion/brushless/hall_angle.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace cogstride {

void HallAngle::ask(Lines& lines) const {
  for (const std::int64_t line : halls_.lines)
    lines.sample(static_cast<SourceId>(line), lines.now() + lines.lead(), 0);
}

void HallAngle::forget() {
  levels_ = {};
  sector_ = not_known;
  has_jumped_ = false;
}

bool HallAngle::take(std::span<const Reading> readings) {
  Tick at = -1;
  for (const Reading& reading : readings)
    for (std::size_t i = 0; i < 3; ++i)
      if (reading.source == static_cast<SourceId>(halls_.lines[i])) {
        levels_[i] = reading.raw != 0;
        at = reading.at;
      }
  if (at < 0 ||
      !std::all_of(levels_.begin(), levels_.end(), [](const auto& level) { return level.has_value(); }))
    return false;
  code_ = (*levels_[0] ? 1 : 0) | (*levels_[1] ? 2 : 0) | (*levels_[2] ? 4 : 0);
  const int sector = table_.sector_of_hall[code_];  // NOLINT(bugprone-signed-char-misuse): below 0 is none
  if (sector == sector_) return false;
  const int way = !is_known() || sector < 0 ? 0 : (sector - sector_ + 6) % 6;
  has_jumped_ = way != 0 && way != 1 && way != 5;
  sector_ = sector < 0 ? cannot_be : sector;
  if (way == 1 || way == 5) {
    count_ += way == 1 ? 1 : -1;
    counted_at_ = at;
  }
  return true;
}

std::string HallAngle::fault() const {
  const auto code = [&] { return fmt::format("{}{}{}", code_ & 1, code_ >> 1 & 1, code_ >> 2 & 1); };
  if (sector_ == cannot_be)
    return fmt::format(
        "its Hall sensors {} say {}, which cannot be: a wire is broken, they have no supply, "
        "or their spacing is another",
        halls_.name, code());
  if (has_jumped_)
    return fmt::format(
        "its Hall sensors {} jumped over a code, to {}: one of their wires is broken, or two "
        "are swapped",
        halls_.name, code());
  return {};
}

}  // namespace cogstride
