// all off
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

/// All lines at rest at once, as at a script's end: motors without current, lamps off. What moved has lost
/// its place.
class AllOff final : public Verb {
 public:
  void foresee(const Statement&, Walk& walk) const override {
    for (std::size_t i = 0; i < walk.known.standing.size(); ++i) {
      Standing& standing = walk.standing(i);
      const bool spun = standing.spins != nullptr;
      standing.spins = nullptr;
      standing.follows = nullptr;
      standing.duty = 0.0;
      standing.is_armed = standing.is_held = false;
      const Mechanism& mechanism = walk.rig.mechanisms[i];
      if (!mechanism.is_movable()) standing.at.reset();
      if (mechanism.is_movable() && spun) standing.is_homed = false;
    }
  }
  [[nodiscard]] About about() const override { return {.mechanism = About::everything}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    stage.cast.tell("bench", "all off");
    stage.cast.all_off();
    return nullptr;
  }
};

}  // namespace

std::unique_ptr<Verb> read_all(LineReader& reader) {
  reader.expect("off");
  return std::make_unique<AllOff>();
}

}  // namespace cogstride
