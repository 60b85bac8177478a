#include "cogstride/rig/finite_rig.hpp"

#include "cogstride/quantity/finite.hpp"
#include "cogstride/rig/keys/part_keys.hpp"

namespace cogstride {
namespace {

/// Looks at the declared amounts of parts; all else is exact, or a word.
class FiniteKeys {
 public:
  explicit FiniteKeys(std::string where) : where_(std::move(where)) {}

  template <class Field>
  void key(const char* name, const Field& field, const KeyText&) const {
    if constexpr (is_optional<Field>) {
      if (field) require(name, *field);
    } else {
      require(name, field);
    }
  }
  template <class Line>
  void line(const char*, const Line&, ActiveLevel, const char*) const {}
  template <class Line>
  void needed_line(const char*, const Line&, ActiveLevel, const char*) const {}
  template <class Lines>
  void lines(const char*, const Lines&, const char*) const {}
  template <class Line>
  void sensed(const char*, const Line&, const char*) const {}
  template <class Line>
  void enable(const CommonWiring&, const Line&, ActiveLevel) const {}
  void travel(const Limits&, bool) const {}
  void hard_ends(const std::optional<HardEnds>&) const {}
  void place(const PlaceSwitch&) const {}

 private:
  template <class D>
  void require(const char* name, const Quantity<D>& field) const {
    require_finite(field.base(), where_ + "." + name);
  }
  template <class Field>
  void require(const char*, const Field&) const {}

  std::string where_;
};

template <class... Parts>
void look_at(const std::string& where, Parts&... parts) {
  FiniteKeys keys(where);
  declare(keys, parts...);
}

void look_at_lines(const std::string& where, Mechanism& mechanism) {
  CommonWiring& common = mechanism.common;
  if (auto* const steps = std::get_if<StepDirWiring>(&mechanism.wiring)) {
    if (const auto* const board = std::get_if<StepDirBoard>(&mechanism.board))
      look_at(where, *steps, common, *board);
  } else if (auto* const bridge = std::get_if<BridgeWiring>(&mechanism.wiring)) {
    if (const auto* const board = std::get_if<HBridge>(&mechanism.board))
      look_at(where, *bridge, common, *board);
  } else if (auto* const gates = std::get_if<GateWiring>(&mechanism.wiring)) {
    if (const auto* const board = std::get_if<SixGateInverter>(&mechanism.board))
      look_at(where, *gates, common, *board);
  } else if (auto* const pulse = std::get_if<PulseWidthWiring>(&mechanism.wiring)) {
    look_at(where, *pulse, common);
  } else if (auto* const coils = std::get_if<CoilWiring>(&mechanism.wiring)) {
    FiniteKeys keys(where);
    declare(keys, *coils, common, false, ActiveLevel::high);
  }
}

void look_at_mechanism(const std::string& where, Mechanism& mechanism) {
  look_at(where + ".supply", mechanism.supply);
  std::visit([&](auto& motor) { look_at(where + ".motor", motor); }, mechanism.motor);
  std::visit([&](auto& board) { look_at(where + ".board", board); }, mechanism.board);
  look_at_lines(where + ".lines", mechanism);
  look_at(where + ".load", mechanism.load);
  FiniteKeys limits(where + ".limits");
  declare(limits, mechanism.limits, mechanism.hard_ends, std::as_const(mechanism.motor));
  for (Sensor& sensor : mechanism.sensors)
    std::visit([&](auto& part) { look_at(where + ".sensor." + part.name, part); }, sensor);
  if (mechanism.homing) look_at(where + ".homing", *mechanism.homing);
  if (mechanism.follows) look_at(where + ".follows", *mechanism.follows);
}

void look_at_controller(Controller& controller) {
  look_at("controller", controller);
  for (TimerUnit& timer : controller.timers) look_at("controller.timer." + timer.name, timer);
  if (controller.heartbeat) look_at("controller.heartbeat", *controller.heartbeat);
  if (controller.analogue) look_at("controller.analogue", *controller.analogue);
  if (controller.counters) look_at("controller.counters", *controller.counters);
}

}  // namespace

void require_finite(const Rig& rig) {
  Rig seen = rig;  // declarations are written for one who fills in
  look_at_controller(seen.controller);
  for (Supply& supply : seen.supplies) look_at("supply." + supply.name, supply);
  for (BetweenPart& part : seen.parts) look_at("part." + part.name, part);
  for (Mechanism& mechanism : seen.mechanisms) look_at_mechanism("mechanism." + mechanism.name, mechanism);
  for (WheeledPair& pair : seen.pairs) look_at("pair." + pair.name, pair);
  for (HandControl& hand : seen.hands) look_at("hand." + hand.name, hand);
  for (PlainOutput& output : seen.outputs) look_at("output." + output.name, output);
  look_at("stops", seen.stops);
}

}  // namespace cogstride
