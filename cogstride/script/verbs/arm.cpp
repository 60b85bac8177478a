// arm fan
#include <fmt/format.h>

#include "cogstride/motion/mover.hpp"
#include "cogstride/motion/pulse_width/throttle_mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Arm final : public Verb {
 public:
  void foresee(const Rig& rig, const Statement& statement, Foreseen& known) const override {
    const Mechanism& mechanism = rig.mechanisms[statement.mechanism];
    Standing& standing = known.standing[statement.mechanism];
    if (standing.is_armed) throw RangeError(fmt::format("{} is armed already", mechanism.name));
    standing.is_armed = true;
    known.length.seconds += arming_seconds(mechanism);
  }
  [[nodiscard]] bool has_known_length() const override { return true; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover();
    return std::make_unique<Motions>(
        std::vector{able(mover.name(), mover.arming(), "be armed").arm(stage.lines)});
  }
};

}  // namespace

std::unique_ptr<Verb> read_arm(LineReader& reader, Statement& statement) {
  statement.mechanism = reader.mechanism({LineReader::Moved::throttled});
  return std::make_unique<Arm>();
}

}  // namespace cogstride
