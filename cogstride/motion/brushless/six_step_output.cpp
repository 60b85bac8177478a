#include "cogstride/motion/brushless/six_step_output.hpp"

#include <cmath>

#include "cogstride/plan/commutation.hpp"
#include "cogstride/plan/open_loop_start.hpp"

namespace cogstride {

SixStepOutput::SixStepOutput(const Mechanism& mechanism, MechanismId id, const Controller& controller)
    : driver_(mechanism, id, controller), table_(commutation_of(mechanism).table) {
  const auto& wiring = std::get<GateWiring>(mechanism.wiring);
  if (wiring.complementary) return;
  const RotaryMotorModel model = model_of(mechanism);
  by_diodes_ = DiodeConduction{
      model.supply, model.resistance, std::get<BrushlessMotor>(mechanism.motor).inductance.base(),
      static_cast<double>(driver_.period()) / controller.timer_clock.base().to_double(),
      wiring.switched == SwitchedSide::both ? model.supply + 2.0 * diode_drop : diode_drop};
}

bool SixStepOutput::put(Lines& lines, const RotorAngle& angle, double duty, double emf, bool when_none) {
  const double share = std::abs(duty);
  const double on = by_diodes_ ? by_diodes_->on_share(share, duty < 0.0 ? -emf : emf) : share;
  if (on == 0.0 && !when_none) {
    put_off(lines);
    return true;
  }
  given_ = std::copysign(on, duty);
  const auto sector = static_cast<std::size_t>(angle.sector(lines.now()));
  return driver_.put(lines, lines.now() + lines.lead(),
                     (duty < 0.0 ? table_.backwards : table_.forwards)[sector], on);
}

void SixStepOutput::put_off(Lines& lines) {
  driver_.put_off(lines, lines.now() + lines.lead());
  given_ = 0.0;
}

void SixStepOutput::lines_were_cut() {
  driver_.lines_were_cut();
  given_ = 0.0;
}

}  // namespace cogstride
