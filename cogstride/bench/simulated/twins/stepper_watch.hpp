// Gathers what a rehearsal shows of a stepper, look by look, for stepper_causes.hpp.
#pragma once

#include <cmath>
#include <functional>
#include <limits>
#include <optional>
#include <vector>

#include "cogstride/bench/simulated/twins/stepper_causes.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

class StepperWatch {
 public:
  StepperWatch(const Mechanism& said, double ticks_per_second);

  struct Look {
    Tick now = 0;
    std::int64_t step = 0;     ///< that its lines have come to
    double shaft_turns = 0.0;  ///< of its rotor
    double place = 0.0;        ///< of its output, m or turns
    double speed = 0.0;        ///< m/s or turns/s
    double current_a = 0.0;    ///< A
    double current_b = 0.0;
    double fed = 0.0;           ///< V
    bool is_under_way = false;  ///< a motion is on
    bool has_slipped = false;   ///< it has lost steps
  };
  /// @param level  of a line of the controller
  void look(const Look& now, const std::function<bool(std::int64_t)>& level);

  /// All but what its board counted and lost.
  [[nodiscard]] StepperEvidence seen() const;
  /// m or turns of the output.
  [[nodiscard]] double full_step() const { return std::abs(full_step_); }

 private:
  /// How far apart the outermost places are, in full steps.
  struct Reach {
    double least = std::numeric_limits<double>::infinity();
    double most = -std::numeric_limits<double>::infinity();
    void take(double place) {
      least = std::min(least, place);
      most = std::max(most, place);
    }
    [[nodiscard]] double width() const { return std::max(0.0, most - least); }
  };
  /// A way in one direction, from one stand or turning to the next, in full steps.
  struct Leg {
    double from_step = 0.0;
    double from_place = 0.0;
    double way = 0.0;  ///< its direction: -1, 1; 0: it has none yet
  };
  /// A switch of the rig, and what its line said of where the output was.
  struct Watched {
    const PlaceSwitch* it = nullptr;
    std::optional<bool> acts{};
    Tick burst_began = 0;  // of changes that follow each other closely
    double burst_place = 0.0;
    Tick changed = never;
    int changes = 0;
  };

  void look_for_leg(double step, double made, const Look& now);
  void end_leg(double step, double place, bool has_slipped);
  void look_for_stand(double step, double rotor, const Look& now);
  void look_for_drift(double rotor, const Look& now);
  void look_at_switch(Watched& watched, bool high, const Look& now, double passed);
  [[nodiscard]] static bool fits(double asked, double made, double factor);
  [[nodiscard]] double seconds(Tick ticks) const { return static_cast<double>(ticks) / ticks_per_second_; }

  const Mechanism& said_;
  double ticks_per_second_;
  double full_steps_;          // a turn of its shaft; of a servo as of a motor with 1.8 deg
  double steps_in_full_step_;  // as the rig says
  double full_step_;
  StepperEvidence seen_{};
  Reach asked_places_{};
  Reach made_places_{};
  Tick looked_at_ = 0;
  Tick stepped_at_ = 0;
  double step_before_ = 0.0;  // full steps, as all of these

  double last_way_ = 0.0;
  Tick last_step_at_ = 0;
  Tick turned_at_ = -1;  // without a rest; never: -1

  Leg leg_{};
  double factor_ = 0.0;  // 0: no leg yet
  double factor_way_ = 0.0;
  bool is_one_factor_ = true;
  bool is_power_of_two_ = false;
  bool is_seen_twice_ = false;  // by legs of different lengths

  double stood_at_ = 0.0;
  double stood_place_ = 0.0;  // m or turns
  double stepped_from_ = 0.0;
  double stood_for_steps_ = 0.0;
  double nailed_at_ = 0.0;
  double nailed_step_ = 0.0;
  Tick nailed_since_ = 0;
  std::optional<double> rested_at_{};
  std::optional<double> limp_speed_{};  // m/s or turns/s
  double fed_ = 0.0;
  std::vector<Watched> switches_{};
};

}  // namespace cogstride
