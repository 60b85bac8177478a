// Why a motor that is driven by duty did not turn as it was driven: by what the record of the run shows of
// it, held against what the rig says.
#pragma once

#include <limits>
#include <vector>

#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/trace/verdict.hpp"

namespace cogstride {

/// What is seen of one, look by look.
class RotaryEvidence {
 public:
  explicit RotaryEvidence(const Mechanism& said) : model_(model_of(said)) {}

  struct Look {
    double passed = 0.0;   ///< s since the last one
    double duty = 0.0;     ///< that its mover gives it, with its sign
    double fed = 0.0;      ///< V that its supply stands at
    double current = 0.0;  ///< A, mean since the last one; forwards of a brushed motor
    double turns = 0.0;    ///< of its shaft, where it stands
    bool is_free = false;  ///< nothing is asked of it
  };
  void look(const Look& now);
  /// It is told elsewhere that it was slower than its duty makes it by the rig's figures, with that current.
  void slow(double amperes, double would_take) {
    is_slow_ = true;
    slow_current_ = amperes;
    slow_would_take_ = would_take;
  }
  void counts(double counted, double turned) {
    has_counts_ = true;
    counted_ = counted;
    turned_ = turned;
  }
  [[nodiscard]] double driven() const { return driven_; }  ///< s, with a duty and a supply
  /// Driven, and it has never come further than its field takes a shaft that it does not turn.
  [[nodiscard]] bool is_locked() const;
  /// The likeliest first. Only to be asked where something is wrong.
  [[nodiscard]] std::vector<VerdictCause> causes(const Mechanism& said) const;

 private:
  void of_drive(const Mechanism& said, std::vector<VerdictCause>& causes) const;
  void of_counts(std::vector<VerdictCause>& causes) const;
  void of_stand(const Mechanism& said, std::vector<VerdictCause>& causes) const;

  RotaryMotorModel model_;
  double driven_ = 0.0;  // s with duty and supply
  double unfed_ = 0.0;   // s with duty and none
  double lowest_fed_ = std::numeric_limits<double>::infinity();
  double could_flow_ = 0.0;    // A s, at a standstill
  double flowed_ = 0.0;        // A s, by size
  double against_ = 0.0;       // s turning the other way
  double against_flow_ = 0.0;  // A s along the duty meanwhile
  double stood_ = 0.0;         // s
  double stood_flow_ = 0.0;
  double stands_for_ = 0.0;  // s, without a break
  double longest_stand_ = 0.0;
  double stood_duty_ = 0.0;  // the highest
  double let_turn_ = 0.0;    // s turning while nothing is asked
  double let_flow_ = 0.0;    // A s by size meanwhile
  double let_could_ = 0.0;
  double turns_ = 0.0;
  double free_for_ = 0.0;  // s without duty since it was compared last
  double speed_ = 0.0;     // turns/s
  bool has_begun_ = false;
  double least_ = 0.0;  // turns
  double most_ = 0.0;
  bool is_slow_ = false;
  double slow_current_ = 0.0;
  double slow_would_take_ = 0.0;
  bool has_counts_ = false;
  double counted_ = 0.0;
  double turned_ = 0.0;
};

}  // namespace cogstride
