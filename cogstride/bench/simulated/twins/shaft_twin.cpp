// Shafts that others follow.
#include <fmt/format.h>

#include "cogstride/bench/simulated/twins/twins.hpp"
#include "cogstride/motion/gearing/shaft_mover.hpp"
#include "cogstride/plant/turned_plant.hpp"

namespace cogstride {
namespace {

class ShaftTwin final : public Twin {
 public:
  ShaftTwin(const ShaftMover& mover, const TwinSetup& setup, std::vector<TurnedAt> turned)
      : kind_(output_kind(mover.shaft().train)),
        plant_(*mover.sensed(), setup.plant.seed, setup.plant.clock.base().to_double(), std::move(turned)) {}

  [[nodiscard]] Plant* plant() override { return &plant_; }
  [[nodiscard]] std::vector<TracedSignal> signals() const override {
    return {{"made", std::string(display_unit(kind_, 0))}, {"speed", std::string(speed_unit(kind_))}};
  }
  void sample(std::span<double> values) const override {
    values[0] = display_units_per_base(kind_) * plant_.position();
    values[1] = speed_units_per_base(kind_) * plant_.speed();
  }
  void judge(MoverVerdict& verdict, Tick, double) const override {
    verdict.sum = fmt::format("turned by another machine, to {:.6g} {}",
                              display_units_per_base(kind_) * plant_.position(), display_unit(kind_, 0));
    verdict.add("made", display_units_per_base(kind_) * plant_.position(),
                std::string(display_unit(kind_, 0)));
    verdict.has_moved = verdict.has_moved || plant_.position() != 0.0;
  }

 private:
  OutputKind kind_;
  TurnedPlant plant_;
};

}  // namespace

std::unique_ptr<Twin> shaft_twin(Mover& mover, const TwinSetup& setup, std::vector<TurnedAt> turned) {
  const ShaftMover& shaft = *as<ShaftMover>(mover);
  if (shaft.shaft().is_master()) return std::make_unique<Twin>();
  return std::make_unique<ShaftTwin>(shaft, setup, std::move(turned));
}

}  // namespace cogstride
