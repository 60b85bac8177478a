#include "cogstride/port/line_port.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace cogstride {

std::string to_text(const RestOutcome& outcome) {
  if (outcome.is_at_rest()) return {};
  const std::size_t named = std::min(outcome.silent_count, RestOutcome::most_named);
  std::string words =
      fmt::format("{}", fmt::join(outcome.silent.begin(), outcome.silent.begin() + named, ", "));
  if (outcome.silent_count > named) words += fmt::format(" and {} more", outcome.silent_count - named);
  return words + (outcome.silent_count == 1 ? " does" : " do") + " not answer: cut its power by hand";
}

void LinePort::send(BusId bus, const Frame&) {
  throw RangeError("bus " + std::to_string(static_cast<int>(bus)) + " is none of this port's");
}

void LinePort::write_duty(LineId line, std::int64_t) {
  throw RangeError(
      fmt::format("line {} is a plain line: no hardware makes its duty", static_cast<int>(line)));
}

}  // namespace cogstride
