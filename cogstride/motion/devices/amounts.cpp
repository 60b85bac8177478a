#include "cogstride/motion/devices/amounts.hpp"

#include <fmt/format.h>

#include <cmath>

#include "cogstride/quantity/error.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {

std::string with_amount(std::string line, std::string_view word, const std::string& amount) {
  for (std::size_t at = line.find(word); at != std::string::npos; at = line.find(word, at + amount.size()))
    line.replace(at, word.size(), amount);
  return line;
}

UnitAmount::UnitAmount(const std::string& each) {
  (void)parse_any_quantity(each);
  std::size_t end = 0;
  each_ = std::stod(each, &end);
  unit_ = each.substr(std::min(each.find_first_not_of(' ', end), each.size()));
}

std::string UnitAmount::of(double amount) const {
  return fmt::format("{:.9g} {}", amount, unit_);
}

TravelAmount::TravelAmount(const std::string& from, const std::string& to) : from_(from), to_(to) {
  if (from_.unit() != to_.unit()) throw RangeError(fmt::format("from {} to {}: both in one unit", from, to));
}

std::string TravelAmount::text(double share) const {
  if (is_nothing(share)) return from_.of(0.0);
  const double part = (std::abs(share) - nothing) / (1.0 - nothing);
  const double amount = from_.each() + part * (to_.each() - from_.each());
  return fmt::format("{:.5g} {}", std::copysign(1.0, share) * amount, from_.unit());
}

}  // namespace cogstride
