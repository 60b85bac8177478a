#include "cogstride/mechanism/train.hpp"

namespace cogstride {
namespace {

Ratio teeth_ratio(std::int64_t driving, std::int64_t driven) {
  if (driving <= 0 || driven <= 0) throw RangeError("a train needs tooth counts above 0");
  return {driven, driving};
}

struct StageRatio {
  Ratio operator()(const Belt& belt) const { return teeth_ratio(belt.driving, belt.driven); }
  Ratio operator()(const GearPair& gears) const { return teeth_ratio(gears.driving, gears.driven); }
  Ratio operator()(const Screw& screw) const {
    if (screw.lead.base() <= Ratio(0)) throw RangeError("a screw needs a lead above 0 mm");
    return Ratio(1) / screw.lead.base();
  }
  Ratio operator()(const ToothedDrive& drive) const {
    if (drive.teeth <= 0 || drive.pitch.base() <= Ratio(0))
      throw RangeError("a toothed drive needs teeth and a pitch above 0");
    return Ratio(1) / (Ratio(drive.teeth) * drive.pitch.base());
  }
};

bool ends_train(const TrainStage& stage) {
  return std::holds_alternative<Screw>(stage) || std::holds_alternative<ToothedDrive>(stage);
}

}  // namespace

OutputKind output_kind(const Train& train) {
  const bool is_linear = !train.stages.empty() && ends_train(train.stages.back());
  return is_linear ? OutputKind::linear : OutputKind::rotary;
}

Ratio gear_ratio(const Train& train) {
  Ratio turns = 1;
  for (const TrainStage& stage : train.stages)
    if (const auto* const gears = std::get_if<GearPair>(&stage)) turns *= StageRatio{}(*gears);
  return turns;
}

Ratio motor_turns_per_base(const Train& train) {
  Ratio turns = 1;
  for (std::size_t i = 0; i < train.stages.size(); ++i) {
    if (ends_train(train.stages[i]) && i + 1 != train.stages.size()) {
      throw RangeError("what makes an output linear must be the last stage of a train");
    }
    turns *= std::visit(StageRatio{}, train.stages[i]);
  }
  return turns;
}

}  // namespace cogstride
