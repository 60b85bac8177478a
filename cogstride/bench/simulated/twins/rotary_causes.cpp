#include "cogstride/bench/simulated/twins/rotary_causes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/bench/simulated/twins/twins.hpp"

namespace cogstride {
namespace {

constexpr double standing = 2e-3;      // turns/s
constexpr double longest_wrong = 0.1;  // s
constexpr double no_current = 0.02;    // of what flows at a standstill
constexpr double most_locked = 0.5;    // turns of a shaft whose field does not take it round

std::string what_drives_it(const Mechanism& said) {
  std::string words;
  const auto add = [&](const std::string& what) { words += (words.empty() ? "" : ", ") + what; };
  const auto enable = [&](const auto& wiring) {
    if (wiring.enable) add("ENABLE (lines.enable.active, board.enable_active)");
  };
  if (const auto* const bridge = std::get_if<BridgeWiring>(&said.wiring)) {
    enable(*bridge);
    add("the wires of its lines");
  } else if (const auto* const gates = std::get_if<GateWiring>(&said.wiring)) {
    enable(*gates);
    add("the wires of its gates and the levels that switch them on");
  }
  add("its supply");
  add(ground_words(said));
  add("the leads of its motor");
  return words;
}

}  // namespace

void RotaryEvidence::look(const Look& now) {
  if (now.passed <= 0.0) return;
  if (!has_begun_) turns_ = least_ = most_ = now.turns;
  has_begun_ = true;
  least_ = std::min(least_, now.turns);
  most_ = std::max(most_, now.turns);
  const double speed = (now.turns - turns_) / now.passed;
  turns_ = now.turns;
  if (now.fed > 0.0) lowest_fed_ = std::min(lowest_fed_, now.fed);
  const double could = std::min(model_.current_limit, std::abs(now.duty) * model_.supply / model_.resistance);
  if (now.duty == 0.0) {
    // What coasts or brakes slows down.
    constexpr double compared_over = 0.05;  // s
    free_for_ += now.passed;
    if (free_for_ < compared_over) return;
    free_for_ = 0.0;
    const bool slows = std::abs(speed) < 0.995 * std::abs(speed_);
    speed_ = speed;
    if (!now.is_free || std::abs(speed) < standing || slows) return;
    let_turn_ += compared_over;
    let_flow_ += compared_over * std::abs(now.current);
    let_could_ += compared_over * std::min(model_.current_limit, model_.supply / model_.resistance);
    return;
  }
  free_for_ = 0.0;
  speed_ = 2.0 * std::abs(speed);  // whatever it turns at next, it has slowed down
  if (now.fed == 0.0) {
    unfed_ += now.passed;
    return;
  }
  driven_ += now.passed;
  flowed_ += now.passed * std::abs(now.current);
  could_flow_ += now.passed * could;
  const double along = now.duty > 0.0 ? 1.0 : -1.0;
  if (std::abs(speed) < standing) {
    stood_ += now.passed;
    stood_flow_ += now.passed * std::abs(now.current);
    stood_duty_ = std::max(stood_duty_, std::abs(now.duty));
    stands_for_ += now.passed;
    longest_stand_ = std::max(longest_stand_, stands_for_);
    return;
  }
  stands_for_ = 0.0;
  if (along * speed < 0.0) {
    against_ += now.passed;
    against_flow_ += now.passed * along * now.current;
  }
}

std::vector<VerdictCause> RotaryEvidence::causes(const Mechanism& said) const {
  std::vector<VerdictCause> causes;
  if (unfed_ > 0.02) causes.push_back({"supply", supply_words(said, unfed_)});
  of_counts(causes);
  if (causes.empty()) of_drive(said, causes);
  return causes;
}

void RotaryEvidence::of_counts(std::vector<VerdictCause>& causes) const {
  if (!has_counts_ || std::abs(turned_) < 8.0) return;
  const double share = counted_ / turned_;
  if (std::abs(counted_) < 2.0) {
    causes.push_back(
        {"encoder wire", "its encoder counted nothing while it turned: its lines, its supply, its ground"});
  } else if (std::abs(share + 1.0) < 0.05) {
    causes.push_back(
        {"encoder lines", "its encoder counts the other way: its two lines are exchanged (line_a, line_b)"});
  } else if (share < 0.97 || share > 1.03) {
    causes.push_back(
        {"counts",
         fmt::format("its encoder counts {:.3g} times what it turned: lines_per_turn, after_stages, or a "
                     "counter that does not keep up (controller.counters.top_rate)",
                     share)});
  }
}

void RotaryEvidence::of_drive(const Mechanism& said, std::vector<VerdictCause>& causes) const {
  const auto add = [&](std::string name, std::string words) {
    causes.push_back({std::move(name), std::move(words)});
  };
  const bool is_brushed = std::holds_alternative<BrushedMotor>(said.motor);
  if (driven_ > 0.5 * longest_wrong && flowed_ < no_current * could_flow_)
    return add("no current", fmt::format("no current flowed while it was driven: {}", what_drives_it(said)));
  if (against_ > longest_wrong && against_ > 0.3 * driven_) {
    if (is_brushed && against_flow_ > 0.0)
      return add("load", "its load turns it against its drive (load.steady_torque, or a weight)");
    return add("direction",
               is_brushed ? "it turns the other way: the two leads of its motor, or the lines that say the "
                            "way, are exchanged"
                          : "it turns the other way: two phases of its motor and two of its sensor's "
                            "lines are exchanged, or all three are turned round");
  }
  if (let_turn_ > longest_wrong) {
    if (let_flow_ > no_current * let_could_)
      return add("duty level",
                 "it is driven while nothing is asked of it: the level that its lines take for on "
                 "(lines...active)");
    return add("load", "its load turns it while nothing is asked of it (load.steady_torque, or a weight)");
  }
  if (longest_stand_ > 0.5 * longest_wrong || (!is_brushed && is_locked())) return of_stand(said, causes);
  if (!is_slow_) return;
  if (const auto low = low_supply(said, lowest_fed_)) return causes.push_back(*low);
  if (slow_current_ > 1.2 * slow_would_take_)
    return add("load",
               fmt::format("it took {:.2g} A, and {:.2g} A belong to that duty by the rig's figures: more "
                           "friction or load than the rig says (load.coulomb_friction, "
                           "load.steady_torque)",
                           slow_current_, slow_would_take_));
  add("motor",
      "its motor is another than the rig says (motor.torque_constant, motor.resistance), or its train");
}

bool RotaryEvidence::is_locked() const {
  return driven_ > 0.5 * longest_wrong && most_ - least_ < most_locked;
}

void RotaryEvidence::of_stand(const Mechanism& said, std::vector<VerdictCause>& causes) const {
  const auto add = [&](std::string name, std::string words) {
    causes.push_back({std::move(name), std::move(words)});
  };
  if (const auto low = low_supply(said, lowest_fed_)) causes.push_back(*low);
  const char* const order =
      "the order of its phases and of its sensor's lines, and the levels of both (line_1 to line_3, "
      "inverted, "
      "lines.a_high and the next five)";
  if (std::holds_alternative<BrushlessMotor>(said.motor) && is_locked()) {
    if (most_ > least_)
      add("commutation", fmt::format("its field took it to a place and no further: {}", order));
    else
      add("held or commutation",
          fmt::format("current flowed and it never moved: something jams or holds more than its torque "
                      "(load.stiction), or {}",
                      order));
    return;
  }
  if (stood_duty_ < 1.05 * start_duty(model_))
    add("duty",
        fmt::format("friction and load hold it up to {:.3g} % of duty (limits.lowest_duty, load.stiction)",
                    100.0 * start_duty(model_)));
  add("held",
      fmt::format("it was driven with {:.2g} A and stood: something jams, or holds more than its torque "
                  "(load.stiction)",
                  stood_flow_ / stood_));
}

}  // namespace cogstride
