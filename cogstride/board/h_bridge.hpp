// An H-bridge for one brushed motor, from both sides of its lines.
//
// Each half of the bridge joins its terminal of the motor to the supply (high), to ground (low), or to
// nothing (off). Two inputs with ENABLE, by half:   input high: high,  input low: low,  ENABLE off: both off
// Sign and magnitude:                duty high: driven by sign;  duty low: both low;  ENABLE off: both off
// Four channels, by half:            as two inputs, with the duty input in the place of ENABLE
//
// So what a duty does in the rest of its period hangs on the line that carries it. On an input it shorts the
// motor (slow decay, its current flows on in a circle); on ENABLE it lets both halves go (fast decay, its
// current flows back into the supply through the diodes until there is none).
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "cogstride/board/pwm_timing.hpp"
#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

/// The controller's side: a signed duty, or none in one of two ways.
class BridgeDriver {
 public:
  /// @throws RangeError when it is no H-bridge, its timer cannot make the frequency, or it should coast
  /// between and nothing can switch it off
  BridgeDriver(const Mechanism& mechanism, MechanismId id, const Controller& controller);

  [[nodiscard]] MechanismId id() const { return id_; }
  /// Its lines, at rest without drive and with ENABLE off.
  [[nodiscard]] std::vector<LineSetup> line_setups() const;
  [[nodiscard]] PwmSetup pwm_setup() const;
  [[nodiscard]] Tick period() const { return timing_.period; }
  /// Smallest change of a duty that its timer makes, a share.
  [[nodiscard]] double duty_step() const {
    return static_cast<double>(timing_.grain) / static_cast<double>(timing_.period);
  }

  /// What its lines are given by a loop that is closed before it (LoopSetup).
  [[nodiscard]] std::vector<LoopSetup::Output> loop_outputs() const;

  /// Whether a line of the controller can let the motor go.
  [[nodiscard]] bool can_coast() const { return wiring_.enable || form_ == HBridge::Form::four_channel; }
  /// From the first period that begins at `at` or later. @param duty  -1 to 1; below 0: backwards; not 0
  void put_duty(Lines& lines, Tick at, double duty) const;
  /// No drive. @throws RangeError when it should coast and nothing can let it go
  void put_rest(Lines& lines, Tick at, SlowsBy how) const;

 private:
  /// Shares of the period that its lines are on; unused ones stay 0.
  struct Shares {
    double forward = 0.0;
    double backward = 0.0;
    double duty = 0.0;
    double enable = 0.0;
    double sign = 0.0;
  };
  void put(Lines& lines, Tick at, const Shares& shares) const;
  /// Of a duty that is not 0.
  [[nodiscard]] Shares shares_of(double duty) const;

  std::string name_;
  MechanismId id_;
  HBridge::Form form_;
  BridgeWiring wiring_;
  DutyLines carries_;
  PwmTiming timing_;
};

/// What a half of a bridge joins its terminal to.
enum class BridgeHalf : std::uint8_t { off, low, high };

/// Levels at a bridge's inputs, and what its two halves do with them; a plain value, copied when a plant
/// goes back.
struct BridgeState {
  std::array<bool, 5> levels{};
  BridgeHalf a = BridgeHalf::off;  ///< the terminal that is positive forwards
  BridgeHalf b = BridgeHalf::off;
  /// Of the input that carries an averaged duty: the share that it is on for; 1 where it is switched.
  double share = 1.0;

  [[nodiscard]] bool is_driving() const { return a != b; }
};

/// The board's side: levels of its lines become what its two halves do.
class BridgeReceiver {
 public:
  explicit BridgeReceiver(const Mechanism& mechanism);

  /// Lines that it hears; `hear` is told a line by its place here.
  [[nodiscard]] const std::vector<LineId>& hears() const { return hears_; }
  /// As it stands before any line has been heard.
  [[nodiscard]] BridgeState begin() const;
  void hear(BridgeState& state, std::size_t input, bool high) const;
  /// An input is on for a share of each period; between, the bridge brakes.
  void hear_share(BridgeState& state, std::size_t input, double share) const;

 private:
  enum class Use : std::uint8_t { forward, backward, sign, duty, enable };
  void settle(BridgeState& state) const;

  HBridge::Form form_;
  bool enable_active_high_;
  bool sign_forwards_high_ = true;
  bool starts_enabled_;
  std::vector<LineId> hears_{};
  std::vector<Use> uses_{};
};

}  // namespace cogstride
