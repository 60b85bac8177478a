// throttle fan to 40 % in 2 s for 5 s
#include <fmt/format.h>

#include "cogstride/motion/mover.hpp"
#include "cogstride/plan/pulse_scale.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/order_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Throttle final : public Verb {
 public:
  Throttle(std::size_t mechanism, DutyOrder order) : mechanism_(mechanism), order_(std::move(order)) {}
  void foresee(const Statement& statement, Walk& walk) const override {
    Standing& standing = walk.standing(mechanism_);
    if (!standing.is_armed)
      throw RangeError(
          fmt::format("{0} is not armed here: write 'arm {0}' first", walk.rig.mechanisms[mechanism_].name));
    double& seconds = walk.known.length.seconds;
    seconds += foresee_duty(walk, mechanism_, order_.duty.base(), order_.in);
    standing.spins = order_.duty.base() == 0.0 ? nullptr : &statement;
    if (!order_.lasts) return;
    seconds += order_.lasts->base().to_double() + foresee_duty(walk, mechanism_, 0.0, order_.in);
    standing.spins = nullptr;
  }
  [[nodiscard]] bool has_known_length() const override { return true; }
  [[nodiscard]] bool goes_on_until_stopped() const override { return !order_.lasts; }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_, .moves = true}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    return wait_for(able(mover.name(), mover.duties(), "be throttled").spin(stage.lines, order_));
  }

 private:
  std::size_t mechanism_;
  DutyOrder order_;
};

}  // namespace

std::unique_ptr<Verb> read_throttle(LineReader& reader) {
  const std::size_t place = reader.mechanism({LineReader::Moved::throttled});
  reader.expect("to");
  const bool both_ways = PulseScale(reader.rig().mechanisms[place]).goes_both_ways();
  OrderReader reads(reader, place);
  DutyOrder order{.duty = Fraction::from_base(reads.share("a throttle such as 40 %", both_ways ? -1 : 0))};
  order.in = reads.ramp();
  if (reader.take("for")) order.lasts = reader.time("a time such as 10 s");
  return std::make_unique<Throttle>(place, std::move(order));
}

}  // namespace cogstride
