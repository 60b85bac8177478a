// What a mover and its drive on a bus have to do with each other, whatever it moves: it is brought up, driven
// or not, told cycle by cycle, and what it tells is kept; what goes wrong is said in words.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/board/bus/drive_profile.hpp"
#include "cogstride/board/bus/drive_setup.hpp"
#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

/// The bus of a controller; there is one.
inline constexpr BusId the_bus{0};

class DriveLink {
 public:
  /// @throws RangeError as drive_wants()
  DriveLink(const Mechanism& mechanism, MechanismId id, const Controller& controller);

  /// What it has told last, in its own units.
  struct Told {
    Tick at = never;  ///< `never`: nothing yet
    std::int64_t place = 0;
    std::int64_t speed = 0;  ///< counts/s
    double current = 0.0;    ///< A, of its motor
    double torque = 0.0;     ///< N m, of its motor
    double supply = 0.0;     ///< V
    std::int64_t lag = 0;
    std::optional<double> supply_current{};
    std::optional<double> applied{};  ///< V
    std::optional<double> celsius{};
    std::uint16_t status = 0;
  };
  [[nodiscard]] const Told& told() const { return told_; }
  [[nodiscard]] bool has_told() const { return told_.at != never; }
  /// Counts its place cycle by cycle, and may be told to move.
  [[nodiscard]] bool is_up() const { return setup_ && setup_->is_up() && has_told() && fault_.empty(); }
  [[nodiscard]] bool is_driven() const { return is_up() && state_ == DriveState::enabled; }
  /// By what it has told last.
  [[nodiscard]] bool is_on() const {
    return state_ && *state_ != DriveState::switch_on_disabled && *state_ != DriveState::fault;
  }
  [[nodiscard]] std::optional<DriveState> state() const { return state_; }
  [[nodiscard]] const std::string& fault() const { return fault_; }
  /// How often it has been brought up: each time its places count anew.
  [[nodiscard]] int times_up() const { return times_up_; }
  /// A fault that nobody was told of; once.
  [[nodiscard]] std::optional<std::string> take_fault();
  /// What is worth telling, once each.
  [[nodiscard]] std::vector<std::string> take_news();
  [[nodiscard]] bool wants_driven() const { return wants_driven_; }
  void want_driven(bool driven) {
    wants_driven_ = driven;
    comes_to_rest_ = false;
  }
  /// On order alone: what was wrong is no more, and it is brought up anew where that is needed.
  void reset_fault(Tick now);
  /// All lines were cut: it is told to come to rest, and is not driven afterwards.
  void was_cut() {
    wants_driven_ = false;
    comes_to_rest_ = true;
  }

  struct Order {
    DriveMode mode = DriveMode::cyclic_position;
    std::int64_t place = 0;
    std::int64_t speed = 0;
    double torque = 0.0;  ///< N m at its motor
  };
  /// What comes in force with a common instant.
  void put(Lines& lines, Tick at, const Order& order);
  /// What it wants to say while it is brought up.
  void serve(Lines& lines);
  /// When it has to be served again, if nothing comes in.
  [[nodiscard]] Tick next_act() const;
  void hear(const Frame& frame, Tick at);
  /// Looks whether it is heard at all.
  void watch(Tick now);

  /// That brings it to rest and switches it off, whatever else is on the bus.
  [[nodiscard]] Frame rest_frame() const;
  [[nodiscard]] int id() const { return wants_.id; }
  /// From one common instant to the next.
  [[nodiscard]] Tick cycle() const { return cycle_; }

 private:
  void fail(std::string why, bool begins_anew);
  void hear_data(const Frame& frame, Tick at);
  void take_status(std::uint16_t status);
  void fail_by_code(std::uint16_t code);
  [[nodiscard]] std::uint16_t control_word() const;

  MechanismId owner_;
  BusDrive board_;
  double amperes_per_thousandth_;
  double torque_per_ampere_;
  DriveWants wants_;
  Tick cycle_;
  Tick silence_;
  DriveSetup::Times times_;
  std::optional<DriveSetup> setup_{};
  Told told_{};
  std::optional<DriveState> state_{};
  Tick heard_at_ = never;
  int times_up_ = 0;
  bool wants_driven_ = false;
  bool comes_to_rest_ = false;  // on its quick stop, and is off then by itself
  bool resets_ = false;
  bool was_reset_ = false;  // its control word has the bit just now
  std::string fault_{};
  bool fault_is_told_ = true;
  std::vector<std::string> news_{};
};

}  // namespace cogstride
