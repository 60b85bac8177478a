// measure traverse: its travel, by its two switches
#include "cogstride/motion/mover.hpp"
#include "cogstride/motion/stepper/homing_goal.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Measure final : public Verb {
 public:
  explicit Measure(std::size_t mechanism) : mechanism_(mechanism) {}
  void foresee(const Statement&, Walk& walk) const override {
    require_homed(walk, mechanism_);
    walk.standing(mechanism_).at.reset();
    walk.known.length.is_whole = false;
  }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_, .moves = true}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    return wait_for(able(mover.name(), mover.zeroed(), "be measured").measure());
  }

 private:
  std::size_t mechanism_;
};

}  // namespace

std::unique_ptr<Verb> read_measure(LineReader& reader) {
  const std::size_t place = reader.mechanism();
  try {
    (void)far_switch_goal(reader.rig().mechanisms[place], reader.rig().controller);
  } catch (const RangeError& error) {
    throw reader.wrong_statement(error.what());
  }
  return std::make_unique<Measure>(place);
}

}  // namespace cogstride
