// Why a stepper did not come where it was sent: by what the record of the run shows of it and what could be
// measured at its board, held against what the rig says. What is really wired, and what befell it from
// outside, is not asked.
#pragma once

#include <algorithm>
#include <limits>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/board/step_dir.hpp"
#include "cogstride/trace/verdict.hpp"

namespace cogstride {

struct StepperEvidence {
  std::int64_t put_out = 0;         ///< steps, on the controller's lines
  StepDirReceiver::Counts board{};  ///< what came to its board, and what became of it
  double highest_step_rate = 0.0;   ///< steps/s that it lost some at; 0: none
  double slowest_step_rate = 0.0;   ///< the same
  bool was_off = false;             ///< it lost steps, or stood elsewhere than it was to
  std::optional<double> factor{};   ///< made over asked, where one explains every motion
  double unfed = 0.0;               ///< s for which it was stepped without its supply
  double lowest_fed = std::numeric_limits<double>::infinity();  ///< V of its supply, while there was one
  /// A of a coil, the one way and the other.
  struct CoilCurrent {
    double most = 0.0;
    double least = 0.0;
    void take(double amperes) {
      most = std::max(most, amperes);
      least = std::min(least, amperes);
    }
    [[nodiscard]] double by_size() const { return std::max(most, -least); }
    [[nodiscard]] double smaller_way() const { return std::min(most, -least); }
  };
  CoilCurrent a{};
  CoilCurrent b{};
  double highest_vector = 0.0;         ///< A, root of the sum of their squares
  double asked_swing = 0.0;            ///< full steps between the outermost places that it was sent to
  double made_swing = 0.0;             ///< the same of its rotor
  double held_fast = 0.0;              ///< s for which it was stepped on and on, and stood as if nailed
  std::optional<double> stopped_at{};  ///< m or turns: it was stepped on there for long, and moved away later
  bool came_free = false;              ///< it stood so, and moved again later
  bool is_unfed_now = false;           ///< its supply is down at the end
  /// s for which a switch of it acted far from where it should, and did not where it should.
  double acts_wrongly = 0.0;
  double silent_wrongly = 0.0;
  std::string wrong_switch{};
  struct Bounce {
    std::string name{};
    double lasted = 0.0;  ///< s
    double waited = 0.0;  ///< s, its debounce
  };
  std::optional<Bounce> bounced{};     ///< a contact, for longer than its debounce
  std::optional<double> slipped_at{};  ///< m or turns: where it stood when it lost steps first
  bool slipped_turning = false;        ///< that was soon after it turned round without a rest
  double drifted = 0.0;                ///< full steps that it went by itself while nothing was asked
  std::int64_t lost = 0;               ///< slips that left it short of its steps
  std::int64_t gained = 0;             ///< slips that took it beyond them
};

/// The likeliest first; empty where nothing is wrong.
[[nodiscard]] std::vector<VerdictCause> causes_of(const StepperEvidence& seen, const Mechanism& said);

}  // namespace cogstride
