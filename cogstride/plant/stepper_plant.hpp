// A two-phase stepper behind a STEP/DIR board, or behind one that only switches its coils, with what it
// moves, its switches and encoders.
//
// Torque on the rotor at electrical angle e = p theta + pi/4 (p = full steps / 4 rotor teeth), currents i_a,
// i_b:
//
//   T = k (i_b cos e - i_a sin e) - T_d sin 4e - friction - hard ends,     k = holding torque / (sqrt 2
//   rated) back-EMF:  -k omega sin e  and  k omega cos e  volts
//
// Theta is 0 at output position 0: the motor is taken to be coupled so that it rests there at power-up.
// (Kuo, "Step Motors and Control Systems", 1979, ch. 4, with sine torque curves.) Currents of microstep n are
// i_a = I cos f, i_b = I sin f with f = pi/4 + n pi / (2 microsteps): the rotor rests at e = f, and may rest
// a whole electrical period (four full steps) away: that is how steps are lost.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <variant>
#include <vector>

#include "cogstride/board/step_dir.hpp"
#include "cogstride/plant/chopped_winding.hpp"
#include "cogstride/plant/coil_stage.hpp"
#include "cogstride/plant/contact.hpp"
#include "cogstride/plant/encoder_track.hpp"
#include "cogstride/plant/plant.hpp"

namespace cogstride {

class StepperPlant final : public Plant {
 public:
  /// What befalls it from outside its lines.
  struct PlantEvent {
    enum class Kind : std::uint8_t { supply, contact, jam };
    Tick at = 0;
    Kind kind = Kind::supply;
    std::optional<LineId> line{};   ///< of the contact
    std::optional<bool> on = true;  ///< supply up; contact stuck acting (or not; nothing: free again); jammed
  };

  struct Setup {
    ExactFrequency clock;
    std::uint64_t seed = 1;
    double start_position = 0.0;       ///< of the output, m or turns
    double coarsest_step = 5e-6;       ///< s, of integration
    std::vector<PlantEvent> events{};  ///< what befalls it, in the order of time
  };

  /// One electrical period that the rotor fell behind or got ahead.
  struct Slip {
    Tick at = 0;
    double step_rate = 0.0;  ///< steps/s that the board was stepping at
    std::int64_t microsteps =
        0;  ///< lost (positive) or gained on the way it was going: a multiple of a period
  };

  StepperPlant(const Mechanism& mechanism, const Setup& setup);

  [[nodiscard]] std::span<const LineId> hears() const override { return hears_; }
  [[nodiscard]] std::vector<Level> drives() const override;
  void hear(LineId line, bool high) override;
  std::optional<LineEdge> advance(Tick until) override;
  void keep() override { kept_ = state_; }
  void go_back() override { state_ = kept_; }

  // What a trace may look at. No controller does.
  [[nodiscard]] double position() const { return state_.rotor.angle / angle_per_base_; }  ///< m or turns
  [[nodiscard]] double speed() const { return state_.rotor.speed / angle_per_base_; }     ///< m/s or turns/s
  [[nodiscard]] double current_a() const;                                                 ///< A
  [[nodiscard]] double current_b() const;
  /// Of the rotor, in microsteps from output position 0: what was really made.
  [[nodiscard]] double rotor_microsteps() const { return state_.rotor.angle / angle_per_microstep_; }
  /// Microsteps by which the rotor stands short of (positive) or beyond its steps, from its angle, since the
  /// outputs were first switched on or count_losses_from_here().
  [[nodiscard]] std::int64_t lost_microsteps() const { return state_.lost; }
  /// The first slips; all of them are in lost_microsteps().
  [[nodiscard]] std::span<const Slip> slips() const { return {state_.slips.data(), state_.slip_count}; }
  [[nodiscard]] std::int64_t microsteps_a_period() const { return microsteps_a_period_; }
  /// What the board made of its lines; of coils that are only switched, the changes of their pattern.
  [[nodiscard]] StepDirReceiver::Counts counts() const;
  /// Forgets what was lost: while a position is not known yet, nothing can be lost.
  void count_losses_from_here();

 private:
  static constexpr std::size_t most_slips = 16;

  struct Rotor {
    double angle = 0.0;      ///< rad
    double speed = 0.0;      ///< rad/s
    double still_for = 0.0;  ///< s
    ChoppedWinding a;        ///< STEP/DIR board
    ChoppedWinding b;
  };

  using Stage = std::variant<StepDirReceiver, CoilStage>;

  struct State {
    explicit State(Stage of_board) : stage(std::move(of_board)) {}
    Tick now = 0;
    Rotor rotor;
    double target_a = 0.0;
    double target_b = 0.0;
    Stage stage;
    std::vector<ContactPlace::State> contacts{};
    std::vector<EncoderTrack::State> tracks{};
    std::size_t next_event = 0;  ///< of Setup::events
    bool powered = true;
    bool jammed = false;
    bool settled = false;     ///< standing still with its currents on target: nothing to integrate
    bool aligned = false;     ///< the outputs have been on: periods are counted
    std::int64_t period = 0;  ///< electrical periods between field and rotor
    std::int64_t lost = 0;
    std::array<Slip, most_slips> slips{};
    std::size_t slip_count = 0;
  };

  static Stage stage_of_board(const Mechanism& mechanism, ExactFrequency clock);
  void integrate(double seconds);
  void run_currents(double seconds, double emf_a, double emf_b);
  [[nodiscard]] bool is_on() const;
  void retarget();
  void count_slips();
  [[nodiscard]] bool has_settled() const;
  [[nodiscard]] double field_angle() const;
  [[nodiscard]] double electrical_angle() const { return teeth_ * state_.rotor.angle + coupling_angle_; }
  [[nodiscard]] double sensors_beyond() const;
  std::optional<LineEdge> change_sensor();
  [[nodiscard]] Tick next_own_instant() const;
  std::optional<LineEdge> take_own_instant();
  std::optional<LineEdge> tell_due();
  std::optional<LineEdge> take_event(const PlantEvent& event);
  void set_powered(bool powered);
  [[nodiscard]] double hard_end_torque() const;

  Mechanism mechanism_;
  std::vector<ContactPlace> contacts_{};
  std::vector<EncoderTrack> tracks_{};
  Setup setup_;
  std::vector<LineId> hears_;
  double ticks_per_second_;
  double angle_per_base_;
  double angle_per_microstep_;
  double teeth_;
  double torque_constant_;
  double detent_;
  double inertia_;
  double steady_;  // N m against going forwards
  double coulomb_;
  double viscous_;
  double peak_current_;
  double coupling_angle_;  // of the rotor at output position 0, and of the field at step 0
  std::int64_t microsteps_a_period_;
  WindingParts parts_;
  Tick step_ticks_;
  State state_;
  State kept_;
};

}  // namespace cogstride
