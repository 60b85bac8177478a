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
  explicit Arm(std::size_t mechanism) : mechanism_(mechanism) {}
  void foresee(const Statement&, Walk& walk) const override {
    const Mechanism& mechanism = walk.rig.mechanisms[mechanism_];
    if (mechanism.has_bus_drive()) {  // how long its drive takes to come up is its own affair
      walk.known.length.is_whole = false;
      return;
    }
    Standing& standing = walk.standing(mechanism_);
    if (standing.is_armed) throw RangeError(fmt::format("{} is armed already", mechanism.name));
    standing.is_armed = true;
    walk.known.length.seconds += arming_seconds(mechanism);
  }
  [[nodiscard]] bool has_known_length() const override { return true; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    return wait_for(able(mover.name(), mover.arming(), "be armed").arm(stage.lines));
  }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_}; }

 private:
  std::size_t mechanism_;
};

}  // namespace

std::unique_ptr<Verb> read_arm(LineReader& reader) {
  return std::make_unique<Arm>(reader.mechanism({LineReader::Moved::throttled, LineReader::Moved::on_bus}));
}

}  // namespace cogstride
