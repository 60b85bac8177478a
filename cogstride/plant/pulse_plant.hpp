// What hangs on a pulse-width line on the simulated bench: a hobby servo or a speed controller with its
// motor. It hears nothing but the widths of its pulses, and tells nothing back.
//
// What it draws warms it up as one body: C d(rise)/dt = loss - rise / R_th, over each step as it is solved.
#pragma once

#include <optional>
#include <vector>

#include "cogstride/board/pulse_width.hpp"
#include "cogstride/plan/pulse_scale.hpp"
#include "cogstride/plant/shaft_plant.hpp"

namespace cogstride {

class PulsePlant : public Plant {
 public:
  using Event = ShaftPlant::PlantEvent;

  [[nodiscard]] std::span<const LineId> hears() const override { return {&line_, 1}; }
  [[nodiscard]] std::vector<Level> drives() const override { return {}; }
  [[nodiscard]] bool only_hears() const final { return true; }
  void hear(LineId line, bool high) final;
  std::optional<LineEdge> advance(Tick until) final;
  void keep() final {
    kept_ = state_;
    keep_own();
  }
  void go_back() final {
    state_ = kept_;
    go_back_own();
  }

  // What a trace may look at. No controller does.
  [[nodiscard]] virtual double position() const = 0;  ///< share of the swing, or of full speed
  [[nodiscard]] virtual double speed() const = 0;     ///< shares of the swing a second, or of full speed
  [[nodiscard]] double current() const { return state_.current; }         ///< A, from the supply
  [[nodiscard]] double power() const { return state_.current * volts_; }  ///< W, from the supply
  [[nodiscard]] double rise() const { return state_.rise; }               ///< K over the air
  [[nodiscard]] double highest_current() const { return state_.highest; }
  [[nodiscard]] double highest_rise() const { return state_.highest_rise; }
  [[nodiscard]] double charge() const { return state_.charge; }  ///< A s, so far
  [[nodiscard]] double longest_stall() const {
    return state_.longest_stall;
  }  ///< s, held fast against its drive
  /// When its rise first passed what it stands; `never` when it did not.
  [[nodiscard]] Tick too_warm_at() const { return state_.too_warm_at; }
  [[nodiscard]] std::int64_t pulses() const { return state_.pulses; }
  [[nodiscard]] double fed() const { return state_.is_powered ? volts_ : 0.0; }  ///< V of its supply
  [[nodiscard]] bool obeys() const { return state_.obeys; }  ///< it has pulses, and is armed

  /// Pulses that end farther apart are no signal any more, s.
  static constexpr double signal_lost_after = 0.1;

 protected:
  struct Setup {
    ShaftPlant::Setup bench{};
    MotorHeat heat{};
  };
  PulsePlant(const Mechanism& mechanism, const Setup& setup);

  /// A pulse has ended. @param seconds  its width, of one that can be a message
  virtual void take_pulse(double seconds) = 0;
  virtual void signal_lost() = 0;
  virtual void power_lost() = 0;
  struct Taken {
    double amperes = 0.0;  ///< from its supply
    double watts = 0.0;    ///< that warm it
    bool is_held = false;  ///< it is driven and cannot move
  };
  /// Moves on by a step of time. @param seconds  short beside its time constants
  virtual Taken move_on(double seconds) = 0;
  [[nodiscard]] virtual bool is_settled() const = 0;
  virtual void keep_own() = 0;
  virtual void go_back_own() = 0;

  [[nodiscard]] const PulseScale& scale() const { return scale_; }
  [[nodiscard]] double volts() const { return volts_; }
  [[nodiscard]] bool is_jammed() const { return state_.is_jammed; }
  [[nodiscard]] bool is_powered() const { return state_.is_powered; }
  void set_obeys(bool obeys) { state_.obeys = obeys; }
  /// s since the bench was opened.
  [[nodiscard]] double now() const { return static_cast<double>(state_.now) / ticks_per_second_; }

 private:
  struct State {
    Tick now = 0;
    PulseReceiver input{};
    Tick last_pulse = -1;  // none so far
    std::size_t next_event = 0;
    bool is_powered = true;
    bool is_wired = true;
    bool is_jammed = false;
    bool obeys = false;
    bool settled = false;
    double current = 0.0;
    double rise = 0.0;
    double highest = 0.0;
    double highest_rise = 0.0;
    double charge = 0.0;
    double stall = 0.0;
    double longest_stall = 0.0;
    Tick too_warm_at = never;
    std::int64_t pulses = 0;
  };
  void befall(const Event& event);
  void step(Tick ticks);

  LineId line_;
  PulseScale scale_;
  double ticks_per_second_;
  double volts_;
  double resistance_to_air_ = 0.0;  // K/W; 0: not said
  double heat_time_constant_ = 0.0;
  double stands_ = 0.0;
  Tick step_ticks_;
  Tick lost_after_;
  bool is_deaf_;
  std::vector<Event> events_;
  State state_{};
  State kept_{};
};

}  // namespace cogstride
