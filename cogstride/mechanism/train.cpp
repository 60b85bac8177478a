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
};

}  // namespace

OutputKind output_kind(const Train& train) {
  const bool has_screw = !train.stages.empty() && std::holds_alternative<Screw>(train.stages.back());
  return has_screw ? OutputKind::linear : OutputKind::rotary;
}

Ratio motor_turns_per_base(const Train& train) {
  Ratio turns = 1;
  for (std::size_t i = 0; i < train.stages.size(); ++i) {
    if (std::holds_alternative<Screw>(train.stages[i]) && i + 1 != train.stages.size()) {
      throw RangeError("a screw must be the last stage of a train");
    }
    turns *= std::visit(StageRatio{}, train.stages[i]);
  }
  return turns;
}

}  // namespace cogstride
