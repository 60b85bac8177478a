#include "cogstride/motion/devices/heard.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <charconv>

#include "cogstride/quantity/error.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

using Says = SaidControl::Says;

constexpr std::int64_t whole_travel = 1000;
constexpr std::size_t most_kept = 64;  // numbers of a control

const char* form_of(Says says) {
  switch (says) {
    case Says::press:
      return "has nothing behind it";
    case Says::hold:
      return "is on or off";
    case Says::number:
      return "says a number";
    case Says::share:
      return "says a share of its travel, in thousandths";
  }
  return "";
}

}  // namespace

HeardControls::HeardControls(std::vector<SaidControl> controls)
    : controls_(std::move(controls)), states_(controls_.size()) {}

std::size_t HeardControls::place_of(std::string_view name) const {
  for (std::size_t i = 0; i < controls_.size(); ++i)
    if (controls_[i].name == name) return i;
  std::vector<std::string> names;
  for (const SaidControl& control : controls_) names.push_back(control.name);
  const std::string near = nearest_word(std::string(name), names);
  throw RangeError(fmt::format("no device of this rig says '{}'{}; there are: {}", name,
                               near.empty() ? "" : fmt::format(", did you mean {}?", near),
                               names.empty() ? "none" : fmt::format("{}", fmt::join(names, ", "))));
}

HeardControls::Hearing HeardControls::read(std::string_view words) const {
  const std::size_t blank = words.find(' ');
  const std::string_view rest =
      blank == std::string_view::npos ? std::string_view() : words.substr(blank + 1);
  Hearing hearing{place_of(words.substr(0, blank)), {}, false};
  const SaidControl& control = controls_[hearing.place];
  const auto refuse = [&] {
    throw RangeError(fmt::format("found '{}': {} {}", words, control.name, form_of(control.says)));
  };
  if (control.says == Says::press) {
    if (!rest.empty()) refuse();
  } else if (control.says == Says::hold) {
    if (rest != "on" && rest != "off") refuse();
    hearing.is_let_go = rest == "off";
  } else {
    std::int64_t number = 0;
    const auto read = std::from_chars(rest.data(), rest.data() + rest.size(), number);
    if (rest.empty() || read.ec != std::errc() || read.ptr != rest.data() + rest.size()) refuse();
    const std::int64_t least = control.has_centre ? -whole_travel : 0;
    if (control.says == Says::share && (number < least || number > whole_travel)) refuse();
    hearing.number = number;
  }
  return hearing;
}

void HeardControls::take(const Hearing& hearing) {
  State& state = states_[hearing.place];
  state.is_held = controls_[hearing.place].says == Says::hold && !hearing.is_let_go;
  if (!hearing.is_let_go) ++state.times;
  if (!hearing.number) return;
  state.number = hearing.number;
  state.last.push_back(*hearing.number);
  if (state.last.size() > most_kept) state.last.pop_front();
}

bool HeardControls::has_said(std::size_t place, std::int64_t number, std::int64_t times) const {
  const State& state = states_[place];
  const auto since = std::min(static_cast<std::size_t>(state.times - times), state.last.size());
  return std::find(state.last.end() - static_cast<std::ptrdiff_t>(since), state.last.end(), number) !=
         state.last.end();
}

}  // namespace cogstride
