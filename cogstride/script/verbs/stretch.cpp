// in order ... end: one after the other; with traverse at 40 mm/s ... end: limits for a stretch
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/order_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

/// Carried out one after the other, once.
class InOrder : public Block {
 public:
  void foresee(const Statement&, Walk& walk) const override { walk.go_through(inside()); }
  [[nodiscard]] std::optional<std::int64_t> passes() const override { return 1; }
};

class WithLimits final : public InOrder {
 public:
  explicit WithLimits(Stretch stretch) : stretch_(std::move(stretch)) {}
  [[nodiscard]] const Stretch* stretch() const override { return &stretch_; }

 private:
  Stretch stretch_;
};

}  // namespace

std::unique_ptr<Block> read_in_order(LineReader& reader) {
  reader.expect("order");
  return std::make_unique<InOrder>();
}

std::unique_ptr<Block> read_with(LineReader& reader) {
  const std::size_t place = reader.mechanism({LineReader::Moved::by_steps, LineReader::Moved::on_bus});
  if (!reader.next_is("at")) reader.expect("at");
  MoveOrder order;
  OrderReader(reader, place).limits(order);
  return std::make_unique<WithLimits>(Stretch{place, order.speed, order.acceleration});
}

}  // namespace cogstride
