// Where the checks of a rig write down what they find. Each subject has a file of its own.
#pragma once

#include <string>

#include "cogstride/rig/findings/findings.hpp"

namespace cogstride {

class FindingSheet {
 public:
  FindingSheet(const Rig& rig, Inspection& found) : rig_(rig), found_(found) {}

  /// @param key  of the rig file, whole: "mechanism.traverse.board.current"
  void add(const char* code, const std::string& key, std::string what, std::string way_out);
  void cannot_check(const char* code, const std::string& key);

 private:
  [[nodiscard]] SourcePlace place_of(std::string key) const;

  const Rig& rig_;
  Inspection& found_;
};

/// The same for one mechanism: keys are those under its own table.
class MechanismSheet {
 public:
  MechanismSheet(FindingSheet& sheet, const Rig& rig, const Mechanism& mechanism)
      : rig(rig), mechanism(mechanism), kind(output_kind(mechanism.train)), sheet_(sheet) {}

  void add(const char* code, const std::string& key, std::string what, std::string way_out) {
    sheet_.add(code, path(key), std::move(what), std::move(way_out));
  }
  void cannot_check(const char* code, const std::string& key) { sheet_.cannot_check(code, path(key)); }
  /// The same for a key of another part, named whole: "supply.main.ground_joined".
  void cannot_check_without(const char* code, const std::string& whole_key) {
    sheet_.cannot_check(code, whole_key);
  }

  /// "12.5 mm/s", of m or turns.
  [[nodiscard]] std::string output_text(double base, int per_time) const;

  const Rig& rig;
  const Mechanism& mechanism;
  const OutputKind kind;

 private:
  [[nodiscard]] std::string path(const std::string& key) const {
    return "mechanism." + mechanism.name + "." + key;
  }
  FindingSheet& sheet_;
};

/// The top speed that nothing which these checks know of stands against, m/s or turns/s: torque, the
/// controller's pulses, the part between, the board's pulses, counters. No more than `limits.speed`. What a
/// way out offers is offered by this, so that no other finding follows from it.
[[nodiscard]] double speed_to_be_had(const Rig& rig, const Mechanism& mechanism);

void check_wiring(MechanismSheet& sheet);
void check_supply(MechanismSheet& sheet);
void check_settings(MechanismSheet& sheet);
/// What mechanisms have in common: channels of a board, the wheels of a cart.
void check_shared(const Rig& rig, FindingSheet& sheet);
void check_timing(MechanismSheet& sheet);
void check_motion(MechanismSheet& sheet);
void check_switches(MechanismSheet& sheet);
void check_heat(MechanismSheet& sheet);

void check_lines(const Rig& rig, FindingSheet& sheet);
void check_channels(const Rig& rig, FindingSheet& sheet);
void check_supplies(const Rig& rig, FindingSheet& sheet);
void check_devices(const Rig& rig, FindingSheet& sheet);
void check_link(const Rig& rig, FindingSheet& sheet);
void check_bus(const Rig& rig, FindingSheet& sheet);
void check_hands(const Rig& rig, FindingSheet& sheet);

}  // namespace cogstride
