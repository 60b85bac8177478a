#include "cogstride/plant/coil_stage.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/chip/coils.hpp"
#include "cogstride/plan/excitation.hpp"

namespace cogstride {
namespace {

constexpr double no_limit = 1e9;  // A: the resistance alone limits the current

/// The line at each coil end, by terminals where they are said.
std::array<DrivenLine, 4> wired_ends(const Mechanism& mechanism) {
  const auto& wiring = std::get<CoilWiring>(mechanism.wiring);
  const auto* const array = std::get_if<TransistorArray>(&mechanism.board);
  const std::vector<CoilEnd>& feeds =
      array != nullptr ? array->terminals : std::get<DualHBridge>(mechanism.board).terminals;
  if (feeds.size() != 4 || wiring.terminals.size() != 4) return wiring.coils;
  std::array<DrivenLine, 4> ends = wiring.coils;
  for (std::size_t i = 0; i < feeds.size(); ++i) {
    for (const DrivenLine& coil : wiring.coils)
      if (coil.number == wiring.terminals[i]) ends[static_cast<std::size_t>(feeds[i])] = coil;
  }
  if (mechanism.reversed) std::swap(ends[2], ends[3]);
  return ends;
}

}  // namespace

CoilStage::CoilStage(const Mechanism& mechanism)
    : ends_(wired_ends(mechanism)),
      enable_(std::get<CoilWiring>(mechanism.wiring).enable),
      supply_voltage_(mechanism.supply.voltage.base()),
      unipolar_(std::holds_alternative<TransistorArray>(mechanism.board)),
      has_enable_(enable_.has_value()) {
  const StepperWinding winding = mechanism.stepper().winding();
  const BoardStage& stage = stage_of(mechanism.board);
  parts_.resistance = mechanism.air.copper() * winding.resistance.base() + stage.resistance.base();
  parts_.inductance = winding.inductance.base();
  parts_.supply_voltage = supply_voltage_;
  parts_.supply_resistance = mechanism.supply.resistance.base();
  parts_.drop = stage.drop.base();
  parts_.off_time = 20e-6;
  if (const auto* const dual = std::get_if<DualHBridge>(&mechanism.board)) {
    enable_active_ = dual->enable_active;
    if (dual->current_limit) current_limit_ = dual->current_limit->base();
    if (!has_enable_)
      enabled_ = mechanism.common.enable != EnableUse::open || dual->enable_open != OpenEnable::off;
    has_enable_ = true;
  }
  field_angle_ = pi / 4.0 * chip::field_eighth(coil_stepping(mechanism), 0);
}

std::vector<LineId> CoilStage::hears() const {
  std::vector<LineId> lines;
  for (const DrivenLine& coil : ends_) lines.push_back(line_id(coil));
  if (enable_) lines.push_back(line_id(*enable_));
  return lines;
}

void CoilStage::set(std::size_t input, bool high, Tick at) {
  if (input >= on_.size()) {
    enabled_ = high == (enable_active_ == ActiveLevel::high);
    return;
  }
  const bool on = high == level_for(ends_[input], true);
  if (on_[input] == on) return;
  if (at != changed_at_) {
    steps_ = steps();  // that of the tick before is whole now
    was_on_ = is_on();
    if (changed_at_ >= 0) last_interval_ = at - changed_at_;
    changed_at_ = at;
  }
  on_[input] = on;
  follow_field();
}

/// Of two ways round, the shorter; half a turn counts forwards.
void CoilStage::follow_field() {
  if (field_a() == 0 && field_b() == 0) return;
  const double angle = std::atan2(static_cast<double>(field_b()), static_cast<double>(field_a()));
  const double turn = 2.0 * pi;
  double way = std::fmod(angle - field_angle_, turn);
  if (way <= -pi + 1e-9) way += turn;
  if (way > pi + 1e-9) way -= turn;
  field_angle_ += way;
}

double CoilStage::limit() const {
  return current_limit_ > 0.0 ? current_limit_ : no_limit;
}

/// Two half coils on the same iron, wound against each other, each between supply and transistor. With both
/// on, V = R i+ + L d(i+ - i-)/dt + e and V = R i- - L d(i+ - i-)/dt - e leave  L di/dt = -R i / 2 - e  of
/// the difference; with none, the diodes drive it back into the supply.
void CoilStage::run_halves(std::size_t coil, double seconds, double emf) {
  ChoppedWinding& winding = coils_[coil];
  const bool plus = on_[2 * coil];
  const bool minus = on_[2 * coil + 1];
  if (plus && minus) {
    winding.current -= (0.5 * parts_.resistance * winding.current + emf) / parts_.inductance * seconds;
  } else if (plus || minus) {
    winding.regulate(seconds, field_of(coil) * no_limit, emf, parts_);
  } else {
    winding.release(seconds, emf, parts_);
  }
}

void CoilStage::run_bridge(std::size_t coil, double seconds, double emf) {
  ChoppedWinding& winding = coils_[coil];
  const int way = field_of(coil);
  if (!is_enabled()) {
    winding.release(seconds, emf, parts_);
  } else if (way != 0) {
    winding.regulate(seconds, way * limit(), emf, parts_);
  } else {
    winding.off_left = seconds;  // both ends at one level: the winding is shorted
    winding.regulate(seconds, 0.0, emf, parts_);
  }
}

void CoilStage::run(double seconds, double emf_a, double emf_b) {
  if (unipolar_) {
    run_halves(0, seconds, emf_a);
    run_halves(1, seconds, emf_b);
  } else {
    run_bridge(0, seconds, emf_a);
    run_bridge(1, seconds, emf_b);
  }
}

bool CoilStage::has_settled() const {
  const double full =
      std::max(0.0, parts_.supply_voltage - parts_.drop) / (parts_.resistance + parts_.supply_resistance);
  const double wanted = std::min(full, limit());
  const auto near = [&](double current, int way) { return std::abs(current - way * wanted) < 0.05 * wanted; };
  const bool enabled = unipolar_ || is_enabled();
  return near(coils_[0].current, enabled ? field_a() : 0) && near(coils_[1].current, enabled ? field_b() : 0);
}

}  // namespace cogstride
