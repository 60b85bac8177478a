// ready within 10 s: supplies are up, and no emergency stop is pressed
#include <fmt/format.h>

#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/motion/inputs.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/patience.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

/// What keeps the bench from being ready; empty when nothing does.
std::string missing(const Rig& rig, const Inputs& inputs) {
  for (const Supply& supply : rig.supplies) {
    if (!supply.power_good_line) continue;
    if (!inputs.acts(static_cast<LineId>(*supply.power_good_line)).value_or(false))
      return fmt::format("the supply {} is not up (line {} is low)", supply.name,
                         line_name(*supply.power_good_line));
  }
  for (const HandControl& hand : rig.hands) {
    if (hand.kind != HandControl::Kind::stop || !hand.line) continue;
    if (inputs.acts(static_cast<LineId>(*hand.line)).value_or(true))
      return fmt::format("the emergency stop {} (line {}) is pressed", hand.name, line_name(*hand.line));
  }
  return {};
}

class Ready final : public Verb {
 public:
  explicit Ready(ExactTime longest) : longest_(longest) {}
  void foresee(const Statement&, Walk& walk) const override { walk.known.length.is_whole = false; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    for (const Supply& supply : stage.rig.supplies) {
      if (supply.power_good_line || stage.rig.controller.supply == supply.name) continue;
      if (!stage.playing.answers(fmt::format("Is the supply {} on?", supply.name)))
        throw RangeError(fmt::format("the supply {} is not on", supply.name));
    }
    return std::make_unique<Waiting>(stage, Patience(stage, longest_));
  }

 private:
  class Waiting final : public Doing {
   public:
    Waiting(const Stage& stage, Patience patience)
        : rig_(stage.rig), inputs_(*stage.cast.inputs), patience_(patience) {}
    [[nodiscard]] bool is_over(Tick) const override { return missing(rig_, inputs_).empty(); }
    [[nodiscard]] std::string failure(Tick now) const override {
      if (!patience_.is_out(now) || is_over(now)) return {};
      return fmt::format("after {} {}", patience_.waited(now), missing(rig_, inputs_));
    }
    [[nodiscard]] Tick wakes_at() const override { return patience_.until(); }

   private:
    const Rig& rig_;
    const Inputs& inputs_;
    Patience patience_;
  };

  ExactTime longest_;
};

}  // namespace

std::unique_ptr<Verb> read_ready(LineReader& reader) {
  const bool says_how_long = reader.take("within");
  return std::make_unique<Ready>(says_how_long ? reader.time("a time such as 10 s")
                                               : ExactTime::from_base(60));
}

}  // namespace cogstride
