// pull warp_beam with 0.2 N m: by a torque of its motor, at whatever speed that gives, until told otherwise.
#include <fmt/format.h>

#include <cmath>

#include "cogstride/motion/mover.hpp"
#include "cogstride/plan/drive_figures.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class PullWith final : public Verb {
 public:
  PullWith(std::size_t mechanism, Torque torque) : mechanism_(mechanism), torque_(torque) {}
  void foresee(const Statement&, Walk& walk) const override {
    const Mechanism& mechanism = walk.rig.mechanisms[mechanism_];
    const double most = drive_most_current(mechanism) * drive_motor_figures(mechanism).torque_constant;
    if (std::abs(torque_.base()) > most * (1.0 + 1e-9))
      throw RangeError(fmt::format("{}: {} of its motor cannot be had: its current gives {:.4g} N m",
                                   mechanism.name, to_text(torque_, "N m"), most));
    walk.standing(mechanism_) = {};
    walk.known.length.is_whole = false;
  }
  [[nodiscard]] bool goes_on_until_stopped() const override { return true; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    return wait_for(able(mover.name(), mover.torques(), "pull with a torque").pull(stage.lines, torque_));
  }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_, .moves = true}; }

 private:
  std::size_t mechanism_;
  Torque torque_;
};

}  // namespace

std::unique_ptr<Verb> read_pull(LineReader& reader) {
  const std::size_t place = reader.mechanism({LineReader::Moved::on_bus});
  reader.expect("with");
  const Torque torque = reader.amount("a torque of its motor, such as 0.2 N m",
                                      [](const std::string& text) { return parse_quantity<Torque>(text); });
  return std::make_unique<PullWith>(place, torque);
}

}  // namespace cogstride
