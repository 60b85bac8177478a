// A STEP/DIR board, both ways: what the controller puts on its three lines, and what the board makes of them.
// A two-pulse board has a line of pulses for each direction instead: forwards where STEP is, backwards where
// DIR is.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

/// The controller's side: turns "enable", "forwards" and pulse runs into levels and pulses on a mechanism's
/// lines.
class StepDirDriver {
 public:
  StepDirDriver(const Mechanism& mechanism, MechanismId id, ExactFrequency clock);

  /// The lines it needs, with their rest levels: STEP idle, DIR backwards, ENABLE off; awake, out of reset,
  /// and select lines at the positions of the board's microsteps.
  [[nodiscard]] std::vector<LineSetup> line_setups() const;
  [[nodiscard]] LineId step_line() const { return step_; }
  [[nodiscard]] LineId dir_line() const { return dir_; }
  [[nodiscard]] bool is_high_forwards() const { return wiring_.dir.active == ActiveLevel::high; }
  [[nodiscard]] bool is_two_pulse() const { return is_two_pulse_; }
  [[nodiscard]] std::optional<LineId> enable_line() const { return enable_; }
  [[nodiscard]] MechanismId id() const { return id_; }

  [[nodiscard]] Tick wake() const { return wake_; }
  [[nodiscard]] Tick dir_steady_before() const { return dir_steady_before_; }
  [[nodiscard]] Tick dir_steady_after() const { return dir_steady_after_; }
  [[nodiscard]] Tick pulse_width() const { return pulse_width_; }

  void put_enable(Lines& lines, Tick at, bool on) const;
  void put_direction(Lines& lines, Tick at, bool forwards) const;
  void put_run(Lines& lines, FineTick start, const chip::PulseRun& run, std::optional<StopOn> stop) const;

 private:
  std::string name_;
  MechanismId id_;
  StepDirWiring wiring_;
  bool is_two_pulse_;
  std::string select_{};  // positions of the select lines, '1' is on
  LineId step_;
  LineId dir_;
  std::optional<LineId> enable_;
  Tick wake_;
  Tick dir_steady_before_;
  Tick dir_steady_after_;
  Tick pulse_width_;
  Tick after_step_;  // that its lines must stand after a change of STEP
};

/// The board's side: follows the levels on its inputs and steps as the hardware would. Rules that are broken
/// have the consequences they have on a bench, and are counted.
class StepDirReceiver {
 public:
  /// @param use  of ENABLE where no line drives it: tied, the board is on; open, as the board does then
  StepDirReceiver(const StepDirBoard& board, const StepDirWiring& wiring, ExactFrequency clock,
                  EnableUse use = EnableUse::tied);

  void set_step(Tick at, bool high);
  void set_dir(Tick at, bool high);
  void set_enable(Tick at, bool high);
  /// Its supply goes or comes back. Without it no pulse counts; back again it begins at the start of its
  /// table, as it did at power-up: the nearest such microstep.
  void set_powered(Tick at, bool powered);

  /// Microsteps made since power-up, backwards ones negative.
  [[nodiscard]] std::int64_t microstep() const { return microstep_; }
  /// Output stage on.
  [[nodiscard]] bool is_on() const { return is_on_; }
  /// +1 or -1: the way of the last step that was made; 0 before.
  [[nodiscard]] int last_direction() const { return last_direction_; }
  /// Steps a second between the last two that were made; 0 before.
  [[nodiscard]] double step_rate() const { return step_rate_; }

  struct Counts {
    std::int64_t pulses = 0;           ///< step edges that came
    std::int64_t missed_off = 0;       ///< while ENABLE was not active, or without supply
    std::int64_t missed_waking = 0;    ///< too soon after ENABLE
    std::int64_t missed_short = 0;     ///< STEP high or low for less than the board needs
    std::int64_t wrong_direction = 0;  ///< DIR changed within its set-up or hold time, or two lines too close
    Tick shortest = never;             ///< shortest STEP level seen, ticks

    [[nodiscard]] std::int64_t missed() const { return missed_off + missed_waking + missed_short; }
  };
  [[nodiscard]] const Counts& counts() const { return counts_; }

 private:
  struct PulseInput {
    bool high = false;
    Tick changed = -never / 2;
    int last_made = 0;  // -1, 0, +1: what its last step edge did
  };
  void set_pulse(PulseInput& input, Tick at, bool high);
  void step_edge(PulseInput& input, Tick at);
  void undo_short_step(PulseInput& input, Tick lasted);

  double ticks_per_second_;
  bool step_level_after_;  // the level that STEP has after its step edge
  bool dir_forwards_level_;
  bool enable_on_level_;
  Tick least_before_;
  Tick least_after_;
  Tick dir_steady_before_;
  Tick dir_steady_after_;
  Tick wake_;

  std::int64_t table_rows_;  // microsteps of one electrical period
  bool powered_ = true;
  bool is_two_pulse_;
  PulseInput step_;
  PulseInput backward_;  // of a two-pulse board
  bool forwards_ = false;
  Tick dir_changed_ = -never / 2;
  bool is_on_;
  Tick on_since_ = -never / 2;
  std::int64_t microstep_ = 0;
  int last_direction_ = 0;
  Tick last_step_ = -never / 2;
  double step_rate_ = 0.0;
  Counts counts_;
};

}  // namespace cogstride
