// What the devices of a rig have said: a display, a remote, a pad, a sensor.
//
//   HeardControls heard(said_controls(rig));
//   heard.take(heard.read("panel.station 5"));
//   heard.number("panel.station");                  // 5
//
// Whoever hears a device says so in words, so that a run that is played again hears the same.
#pragma once

#include <cstdint>
#include <deque>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "cogstride/mechanism/devices.hpp"

namespace cogstride {

class HeardControls {
 public:
  explicit HeardControls(std::vector<SaidControl> controls);

  /// One thing that was heard.
  struct Hearing {
    std::size_t place = 0;                 ///< of its control
    std::optional<std::int64_t> number{};  ///< of one that says one: a number, a share
    bool is_let_go = false;                ///< of one that is held
  };
  /// "panel.hold", "panel.station 5", "pad.go on", "pad.go off", "pad.along -370".
  /// @throws RangeError when it is no control of the rig, or it does not say such a thing
  [[nodiscard]] Hearing read(std::string_view words) const;
  void take(const Hearing& hearing);

  [[nodiscard]] const std::vector<SaidControl>& controls() const { return controls_; }
  /// Its place among them. @throws RangeError when there is none of that name, with those there are
  [[nodiscard]] std::size_t place_of(std::string_view name) const;
  /// How often it was heard; of one that is held, pressed.
  [[nodiscard]] std::int64_t times(std::size_t place) const { return states_[place].times; }
  /// The number, or share, that it said last; nothing before it has said one.
  [[nodiscard]] std::optional<std::int64_t> number(std::size_t place) const { return states_[place].number; }
  /// Of a control that says a share, -1 to 1: what it said last.
  [[nodiscard]] std::optional<double> share(std::size_t place) const {
    const std::optional<std::int64_t> said = number(place);
    return said ? std::optional(1e-3 * static_cast<double>(*said)) : std::nullopt;
  }
  [[nodiscard]] std::optional<std::int64_t> number(std::string_view name) const {
    return number(place_of(name));
  }
  /// Whether it said a number after it had been heard `times` times, of the last few that it said.
  [[nodiscard]] bool has_said(std::size_t place, std::int64_t number, std::int64_t times) const;
  /// Of one that says so: whether it is held.
  [[nodiscard]] bool is_held(std::size_t place) const { return states_[place].is_held; }

 private:
  struct State {
    std::int64_t times = 0;
    std::optional<std::int64_t> number{};
    std::deque<std::int64_t> last{};  // numbers, the newest at the end
    bool is_held = false;
  };
  std::vector<SaidControl> controls_;
  std::vector<State> states_;
};

}  // namespace cogstride
