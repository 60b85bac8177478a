#include "cogstride/hands/device_replies.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/mechanism/output.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

/// How many of `each` an amount is.
template <int PerTime>
std::optional<std::int64_t> number_of(std::optional<double> amount, const std::string& unit,
                                      const std::string& each) {
  if (!amount || !std::isfinite(*amount)) return std::nullopt;
  const double unit_of_it = parse_output<PerTime>("1 " + unit).base.to_double();
  const double one = parse_output<PerTime>(each).base.to_double();
  const double number = *amount * unit_of_it / one;
  if (!(std::abs(number) < 1e15)) return std::nullopt;
  return std::llround(number);
}

std::string replaced(std::string text, std::string_view word, const std::string& by) {
  text.replace(text.find(word), word.size(), by);
  return text;
}

}  // namespace

std::optional<std::string> reply_text(const DeviceReply& reply, const OperationState& state) {
  const auto moved = std::find_if(state.moved.begin(), state.moved.end(),
                                  [&](const MovedState& each) { return each.name == reply.of; });
  if (moved == state.moved.end()) return std::nullopt;
  if (reply.says == DeviceReply::Says::state) {
    const bool moves = !moved->doing.empty() || moved->is_driven;
    return replaced(reply.text, state_word,
                    state.is_stopped ? reply.stopped
                    : moves          ? reply.moving
                                     : reply.resting);
  }
  const std::optional<std::int64_t> number =
      reply.says == DeviceReply::Says::place
          ? number_of<0>(moved->knows_zero ? moved->place : std::nullopt, moved->place_unit, *reply.each)
          : number_of<1>(moved->speed, moved->speed_unit, *reply.each);
  if (!number) return std::nullopt;
  std::string digits = fmt::format("{}", std::abs(*number));
  const auto fewest = static_cast<std::size_t>(reply.fewest_digits);
  if (digits.size() < fewest) digits.insert(0, fewest - digits.size(), '0');
  return replaced(reply.text, number_word, (*number < 0 ? "-" : "") + digits);
}

}  // namespace cogstride
