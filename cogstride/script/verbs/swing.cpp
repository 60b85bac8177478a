// swing sorter to 70 deg at 200 deg/s
#include <fmt/format.h>

#include "cogstride/motion/mover.hpp"
#include "cogstride/motion/pulse_width/servo_mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/order_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Swing final : public Verb {
 public:
  Swing(std::size_t mechanism, MoveOrder order) : mechanism_(mechanism), order_(std::move(order)) {}
  /// Before its first pulse nobody knows where a servo stands.
  void foresee(const Statement&, Walk& walk) const override {
    const Mechanism& mechanism = walk.rig.mechanisms[mechanism_];
    Standing& standing = walk.standing(mechanism_);
    if (!standing.at && !order_.to)
      throw RangeError(
          fmt::format("nobody knows where {0} stands before its first swing: write 'swing {0} to' "
                      "an angle first",
                      mechanism.name));
    const OutputPosition from = standing.at.value_or(OutputPosition{output_kind(mechanism.train), 0});
    const OutputPosition to = target_of(mechanism, from, order_);
    walk.known.length.seconds += swing_seconds(mechanism, standing.at, to, order_);
    standing.at = to;
  }
  [[nodiscard]] bool has_known_length() const override { return true; }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_, .moves = true}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    return wait_for(able(mover.name(), mover.places(), "swing").move(stage.lines, order_));
  }

 private:
  std::size_t mechanism_;
  MoveOrder order_;
};

}  // namespace

std::unique_ptr<Verb> read_swing(LineReader& reader) {
  const std::size_t place = reader.mechanism({LineReader::Moved::swings});
  const Word& how = reader.word("'to' or 'by'");
  if (how.text != "to" && how.text != "by")
    throw LineReader::wrong(how,
                            fmt::format("found '{}'; expected 'to' (an angle) or 'by' (a way)", how.text));
  OrderReader reads(reader, place);
  MoveOrder order;
  if (how.text == "to") {
    order.to = reads.position("an angle such as 70 deg");
  } else {
    order.by = reads.position("a way such as -5 deg");
  }
  reads.swing_limits(order);
  reads.takes(order);
  return std::make_unique<Swing>(place, std::move(order));
}

}  // namespace cogstride
