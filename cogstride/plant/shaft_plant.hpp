// A motor shaft with what it moves, on the simulated bench: friction, hard ends, switches and encoders, and
// what befalls it from outside. What turns it is the business of the plants that derive from it.
#pragma once

#include <algorithm>
#include <array>
#include <optional>
#include <vector>

#include "cogstride/plant/contact.hpp"
#include "cogstride/plant/encoder_track.hpp"
#include "cogstride/plant/plant.hpp"

namespace cogstride {

class ShaftPlant : public Plant {
 public:
  /// What befalls it from outside its lines.
  struct PlantEvent {
    enum class Kind : std::uint8_t { supply, contact, jam, load, tracks, winding, signal, drive_fault };
    Tick at = 0;
    Kind kind = Kind::supply;
    std::optional<LineId> line{};   ///< of the contact; track A of an encoder
    std::optional<bool> on = true;  ///< supply up; contact stuck acting (or not; nothing: free again);
                                    ///< jammed; wires of the tracks, of the winding, of the pulses, of its
                                    ///< bus whole
    double torque = 0.0;            ///< load: N m against going forwards, at the motor
  };

  struct Setup {
    ExactFrequency clock;
    std::uint64_t seed = 1;
    double start_position = 0.0;       ///< of the output, m or turns
    double coarsest_step = 5e-6;       ///< s, of integration
    std::vector<PlantEvent> events{};  ///< what befalls it, in the order of time
    std::vector<Level> cut_by{};  ///< lines of switches that open its supply, with the level of an open one
    bool is_deaf = false;         ///< without a common ground: none of its lines' levels reach its board

    /// The same, with steps of at least `seconds`.
    [[nodiscard]] Setup with_steps_of(double seconds) const {
      Setup longer = *this;
      longer.coarsest_step = std::max(coarsest_step, seconds);
      return longer;
    }
  };

  [[nodiscard]] std::span<const LineId> hears() const override { return hears_; }
  void hear(LineId line, bool high) final;
  void hear_share(LineId line, double share) final;
  [[nodiscard]] std::vector<Level> drives() const override;
  std::optional<LineEdge> advance(Tick until) override;
  [[nodiscard]] bool stands_until(Tick until) const final;
  void stand(Tick at) final { shaft_.now = at; }
  void keep() final {
    kept_shaft_ = shaft_;
    keep_own();
  }
  void go_back() final {
    shaft_ = kept_shaft_;
    go_back_own();
  }

  /// Something befalls it now: a finger on a switch.
  void befall(PlantEvent event) {
    event.at = shaft_.now;
    shaft_.free_until = shaft_.now;
    setup_.events.insert(setup_.events.begin() + static_cast<std::ptrdiff_t>(shaft_.next_event), event);
  }

  // What a trace may look at. No controller does.
  [[nodiscard]] double fed() const {
    return shaft_.powered ? mechanism_.supply.voltage.base() : 0.0;
  }  ///< V that its supply stands at, without load
  [[nodiscard]] double shaft_turns() const { return shaft_.angle / (2.0 * pi); }  ///< from output position 0
  [[nodiscard]] Tick at() const { return shaft_.now; }
  [[nodiscard]] double position() const {
    return (shaft_.angle + shaft_.speed * owed_seconds()) * base_per_angle_;
  }                                                                              ///< m or turns
  [[nodiscard]] double speed() const { return shaft_.speed / angle_per_base_; }  ///< m/s or turns/s

 protected:
  ShaftPlant(const Mechanism& mechanism, const Setup& setup);

  static constexpr double current_mean_over = 1e-2;  ///< s, of the mean current that is shown

  struct Shaft {
    Tick now = 0;
    double angle = 0.0;      ///< rad
    double speed = 0.0;      ///< rad/s
    double still_for = 0.0;  ///< s
    std::vector<ContactPlace::State> contacts{};
    std::vector<EncoderTrack::State> tracks{};
    std::array<Level, 2> due{};  ///< edges of the board's own outputs that have not been told yet
    std::size_t due_count = 0;
    std::size_t next_event = 0;  ///< of Setup::events
    bool supply_is_up = true;    // were no switch in its way
    std::uint32_t cut_by = 0;    // a bit for each of Setup::cut_by that is open
    bool powered = true;
    bool jammed = false;
    double load = 0.0;     ///< N m against going forwards
    bool settled = false;  ///< standing still with its currents on target: nothing to integrate
    Tick owed = 0;         ///< for so long its motor's current has flowed, and the shaft is still to turn
    Tick free_until = 0;   ///< nothing but current flows until then
  };

  /// A line of its board has changed, by its place in hears_ as the derived plant filled it.
  virtual void hear_board(std::size_t input, bool high) = 0;
  /// Its duty is averaged (see Plant::hear_share).
  virtual void hear_board_share(std::size_t, double) {}
  /// Turns it for a step of time.
  virtual void integrate(double seconds) = 0;
  /// Where flows_alone_ says that its current can be followed through several switchings before the shaft is
  /// turned: follows it for `seconds`.
  virtual void flows(double) {}
  /// Turns it for all the time that its current has flowed alone.
  virtual void turn_after_flow(double) {}
  /// A step of time is over.
  virtual void step_is_over() = 0;
  /// Whether its motor is at rest too.
  [[nodiscard]] virtual bool motor_has_settled() const = 0;
  virtual void motor_powered(bool powered) = 0;
  /// A wire of its motor breaks, or is whole again.
  virtual void motor_wired(bool) {}
  virtual void drive_fails(bool) {}
  /// The wires by which its drive is told what to do break, or are whole again: of one on a bus.
  virtual void signal_wired(bool) {}
  virtual void keep_own() = 0;
  virtual void go_back_own() = 0;
  /// Of the motor, before a step that may have to be made again shorter.
  virtual void keep_motor() = 0;
  virtual void go_back_motor() = 0;

  /// What befell it at power-up; once the derived plant is whole.
  void begin();
  /// Speed and angle after `seconds` with `pull` at the shaft (hard ends and steady load are added here).
  /// @param most  the greatest pull of that time, where `pull` is a mean of what ripples: it breaks loose by
  /// it
  void turn(double pull, double seconds, double most);
  void turn(double pull, double seconds) { turn(pull, seconds, pull); }
  void tell(LineId line, bool high) { shaft_.due[shaft_.due_count++] = {line, high}; }

  Mechanism mechanism_;
  Setup setup_;
  std::vector<LineId> hears_{};
  double ticks_per_second_;
  double seconds_per_tick_;
  double angle_per_base_;
  double base_per_angle_;
  double inertia_;
  double per_inertia_;
  bool flows_alone_ = false;  // see flows()
  Shaft shaft_{};

 private:
  [[nodiscard]] double hard_end_torque() const;
  [[nodiscard]] double friction_here() const;
  [[nodiscard]] bool has_settled() const;
  [[nodiscard]] double sensors_beyond(double at) const;
  [[nodiscard]] double clear_way() const;
  [[nodiscard]] Tick free_until(double clear) const;
  std::optional<LineEdge> pay();
  bool flows_to(Tick until);
  [[nodiscard]] double owed_seconds() const { return static_cast<double>(shaft_.owed) * seconds_per_tick_; }
  std::optional<LineEdge> change_sensor();
  [[nodiscard]] Tick next_own_instant() const;
  std::optional<LineEdge> take_own_instant();
  std::optional<LineEdge> tell_due();
  std::optional<LineEdge> take_event(const PlantEvent& event);
  void feed();

  std::vector<ContactPlace> contacts_{};
  std::vector<EncoderTrack> tracks_{};
  double coulomb_;
  double stiction_;
  double friction_spread_;
  double viscous_;
  Tick step_ticks_;
  Shaft kept_shaft_{};
};

}  // namespace cogstride
