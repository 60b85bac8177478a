// drive cart 500 mm; drive cart 90 deg round 300 mm at 200 mm/s; drive cart 90 deg on the spot
#include <fmt/format.h>

#include <cmath>

#include "cogstride/motion/cart/pair_mover.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Drive final : public Verb {
 public:
  Drive(std::size_t pair, CartOrder order) : pair_(pair), order_(std::move(order)) {}
  /// Both wheels must stand: a place is where they were last, and how long they take follows from their
  /// loops.
  void foresee(const Statement&, Walk& walk) const override {
    const WheeledPair& pair = walk.rig.pairs[pair_];
    for (std::size_t i = 0; i < walk.rig.mechanisms.size(); ++i) {
      if (walk.rig.mechanisms[i].name != pair.left && walk.rig.mechanisms[i].name != pair.right) continue;
      require_rest(walk, i);
      walk.standing(i).at.reset();
    }
    walk.known.length.is_whole = false;
  }
  [[nodiscard]] About about() const override { return {.pair = pair_, .moves = true}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& cart = *stage.cast.carts[pair_];
    return wait_for(able(cart.name(), cart.ways(), "be driven").drive(stage.lines, order_));
  }

 private:
  std::size_t pair_;
  CartOrder order_;
};

}  // namespace

/// The first amount says by its kind what it is.
std::unique_ptr<Verb> read_drive(LineReader& reader) {
  const Rig& rig = reader.rig();
  const std::size_t place = reader.pair();
  CartOrder order;
  CartWay& way = order.way;
  reader.amount("a way such as 500 mm, or an angle such as 90 deg", [&](const std::string& text) {
    if (parse_any_quantity(text).powers == powers_of<dimensions::Angle>) {
      way.turns = parse_quantity<Angle>(text);
    } else {
      way.by = parse_quantity<Length>(text);
    }
    if (!(std::abs(way.turns ? way.turns->base() : way.by->base()) > 0.0))
      throw RangeError(fmt::format("'{}' is a way of nothing", text));
    return 0;
  });
  if (way.turns && reader.take("round")) {
    way.radius = reader.amount("the radius of an arc, such as 300 mm", [](const std::string& text) {
      const auto radius = parse_quantity<Length>(text);
      if (!(radius.base() > 0.0)) throw RangeError(fmt::format("'{}' is no radius: one is above 0", text));
      return radius;
    });
  } else if (way.turns && !reader.take("on")) {
    throw reader.wrong_statement("a turn is 'round' a radius, or 'on the spot'");
  } else if (way.turns) {
    reader.expect("the");
    reader.expect("spot");
  }
  if (reader.take("at")) {
    const bool on_the_spot = way.turns && !way.radius;
    order.speed = reader.amount(
        on_the_spot ? "a speed such as 60 deg/s" : "a speed such as 200 mm/s", [&](const std::string& text) {
          const auto speed = parse_output<1>(text);
          const WheeledPair& pair = rig.pairs[place];
          (void)cart_wheels(pair, mechanism_named(rig, pair.left), mechanism_named(rig, pair.right))
              .required(pair.name, way, speed);
          return speed;
        });
  }
  return std::make_unique<Drive>(place, std::move(order));
}

}  // namespace cogstride
