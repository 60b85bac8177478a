// What the rig file says about one key besides its name and type: one declaration serves reading, the page of
// docs/rig.md and the comments of a new rig.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string_view>
#include <utility>

#include "cogstride/mechanism/by_hand.hpp"
#include "cogstride/mechanism/devices.hpp"
#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/mechanism/shaft.hpp"
#include "cogstride/mechanism/stops.hpp"
#include "cogstride/mechanism/wheeled_pair.hpp"

namespace cogstride {

/// What a number may be.
enum class Sign : std::uint8_t { any, not_negative, positive };

struct KeyText {
  const char* about = "";           ///< what it is, in a few words
  const char* unit = "";            ///< in which it is written where we write it
  const char* otherwise = nullptr;  ///< when it is left out; nothing here and no optional field: required
  Sign sign = Sign::positive;
  std::int64_t least = 0;  ///< of whole numbers
  std::int64_t most = 0;
  bool of_another = false;  ///< a way of another output, which may move along a line or round
  bool is_line = false;     ///< a line of the controller, or a list of them
};

/// Of a line of the controller: a number, or a small chip's pin.
[[nodiscard]] constexpr KeyText a_line(const char* about, const char* otherwise = nullptr) {
  KeyText text{about, "", otherwise, Sign::any, 0, most_lines};
  text.is_line = true;
  return text;
}

template <class Field>
inline constexpr bool is_optional = false;
template <class Value>
inline constexpr bool is_optional<std::optional<Value>> = true;

/// The words that a file has for the values of an enumeration.
template <class Value>
struct Words;

template <class Value, std::size_t count>
using WordList = std::array<std::pair<const char*, Value>, count>;

template <>
struct Words<ActiveLevel> {
  static constexpr WordList<ActiveLevel, 2> list{{{"low", ActiveLevel::low}, {"high", ActiveLevel::high}}};
};
template <>
struct Words<DeviceReply::Says> {
  static constexpr WordList<DeviceReply::Says, 3> list{{{"place", DeviceReply::Says::place},
                                                        {"speed", DeviceReply::Says::speed},
                                                        {"state", DeviceReply::Says::state}}};
};
template <>
struct Words<Remote::Coding> {
  static constexpr WordList<Remote::Coding, 2> list{
      {{"pulse distance", Remote::Coding::pulse_distance}, {"learned", Remote::Coding::learned}}};
};
template <>
struct Words<BootLevel> {
  static constexpr WordList<BootLevel, 3> list{
      {{"floating", BootLevel::floating}, {"low", BootLevel::low}, {"high", BootLevel::high}}};
};
template <>
struct Words<SmallChip::Kind> {
  static constexpr WordList<SmallChip::Kind, 2> list{
      {{"8-bit AVR", SmallChip::Kind::avr8}, {"Cortex-M0+", SmallChip::Kind::cortex_m0}}};
};
template <>
struct Words<StepEdge> {
  static constexpr WordList<StepEdge, 2> list{{{"rising", StepEdge::rising}, {"falling", StepEdge::falling}}};
};
template <>
struct Words<OpenEnable> {
  static constexpr WordList<OpenEnable, 2> list{{{"on", OpenEnable::on}, {"off", OpenEnable::off}}};
};
template <>
struct Words<Stepping> {
  static constexpr WordList<Stepping, 3> list{
      {{"full", Stepping::full}, {"half", Stepping::half}, {"wave", Stepping::wave}}};
};
template <>
struct Words<CoilEnd> {
  static constexpr WordList<CoilEnd, 4> list{{{"a_plus", CoilEnd::a_plus},
                                              {"a_minus", CoilEnd::a_minus},
                                              {"b_plus", CoilEnd::b_plus},
                                              {"b_minus", CoilEnd::b_minus}}};
};
template <>
struct Words<Stepper::Halves> {
  static constexpr WordList<Stepper::Halves, 4> list{{{"whole", Stepper::Halves::whole},
                                                      {"one half", Stepper::Halves::one},
                                                      {"in series", Stepper::Halves::series},
                                                      {"in parallel", Stepper::Halves::parallel}}};
};
template <>
struct Words<BrushlessMotor::BackEmf> {
  static constexpr WordList<BrushlessMotor::BackEmf, 2> list{
      {{"sine", BrushlessMotor::BackEmf::sine}, {"trapezoid", BrushlessMotor::BackEmf::trapezoid}}};
};
template <>
struct Words<Alignment> {
  static constexpr WordList<Alignment, 2> list{{{"edge", Alignment::edge}, {"centre", Alignment::centre}}};
};
template <>
struct Words<Contact> {
  static constexpr WordList<Contact, 2> list{
      {{"normally open", Contact::normally_open}, {"normally closed", Contact::normally_closed}}};
};
template <>
struct Words<Pull> {
  static constexpr WordList<Pull, 3> list{{{"up", Pull::up}, {"down", Pull::down}, {"none", Pull::none}}};
};
template <>
struct Words<TravelEnd> {
  static constexpr WordList<TravelEnd, 2> list{{{"low", TravelEnd::low}, {"high", TravelEnd::high}}};
};
template <>
struct Words<SlowsBy> {
  static constexpr WordList<SlowsBy, 2> list{
      {{"braking", SlowsBy::braking}, {"coasting", SlowsBy::coasting}}};
};
template <>
struct Words<LeaderPlace> {
  static constexpr WordList<LeaderPlace, 2> list{
      {{"counted", LeaderPlace::counted}, {"commanded", LeaderPlace::commanded}}};
};
template <>
struct Words<Decay> {
  static constexpr WordList<Decay, 2> list{{{"slow", Decay::slow}, {"fast", Decay::fast}}};
};
template <>
struct Words<SwitchedSide> {
  static constexpr WordList<SwitchedSide, 3> list{
      {{"high", SwitchedSide::high}, {"low", SwitchedSide::low}, {"both", SwitchedSide::both}}};
};
template <>
struct Words<CommutatedBy> {
  static constexpr WordList<CommutatedBy, 2> list{
      {{"sensors", CommutatedBy::sensors}, {"time", CommutatedBy::time}}};
};
template <>
struct Words<HomesTo> {
  static constexpr WordList<HomesTo, 3> list{
      {{"index", HomesTo::index}, {"low end", HomesTo::low_end}, {"high end", HomesTo::high_end}}};
};
template <>
struct Words<StopBy> {
  static constexpr WordList<StopBy, 2> list{{{"cut", StopBy::cut}, {"steepest ramp", StopBy::steepest_ramp}}};
};
template <>
struct Words<Operating::Lost> {
  static constexpr WordList<Operating::Lost, 2> list{
      {{"rest", Operating::Lost::rest}, {"stop everything", Operating::Lost::stop_everything}}};
};
template <>
struct Words<TurningSense> {
  static constexpr WordList<TurningSense, 3> list{{{"clockwise", TurningSense::clockwise},
                                                   {"anticlockwise", TurningSense::counter_clockwise},
                                                   {"counter-clockwise", TurningSense::counter_clockwise}}};
};

}  // namespace cogstride
