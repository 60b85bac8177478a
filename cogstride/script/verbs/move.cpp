// move traverse to 85 mm; move traverse by -5 mm in 3 s; turn creel to station 5 the short way
#include <fmt/format.h>

#include "cogstride/motion/mover.hpp"
#include "cogstride/motion/speed/speed_hold.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/order_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Move final : public Verb {
 public:
  explicit Move(OrderedMove move) : move_(std::move(move)) {}
  void foresee(const Statement&, Walk& walk) const override {
    if (!move_.by_encoder) {
      foresee_move(walk, move_.mechanism, move_.order);
      return;
    }
    require_homed(walk, move_.mechanism);
    Standing& standing = walk.standing(move_.mechanism);
    if (standing.at) standing.at = target_of(walk.rig.mechanisms[move_.mechanism], *standing.at, move_.order);
    walk.known.length.is_whole = false;
  }
  [[nodiscard]] bool has_known_length() const override { return !move_.by_encoder; }
  [[nodiscard]] bool can_be_played_back() const override { return !move_.by_encoder; }
  [[nodiscard]] About about() const override {
    return {.mechanism = move_.mechanism, .moves = true, .by_encoder = move_.by_encoder};
  }
  [[nodiscard]] const OrderedMove* move() const override { return &move_; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(move_.mechanism);
    if (Redirects* const on = stage.replaces ? mover.redirects() : nullptr; on && on->can_be_redirected())
      return wait_for(on->redirect(stage.lines, move_.order));
    return wait_for(able(mover.name(), mover.places(), "move to places").move(stage.lines, move_.order));
  }

 private:
  OrderedMove move_;
};

}  // namespace

std::unique_ptr<Verb> read_move(LineReader& reader) {
  using Moved = LineReader::Moved;
  const Word name = reader.peek();
  OrderedMove move{reader.mechanism({Moved::by_steps, Moved::by_duty, Moved::on_bus}), {}};
  const Mechanism& mechanism = reader.rig().mechanisms[move.mechanism];
  move.by_encoder = mechanism.is_driven_by_duty();
  if (move.by_encoder && !has_encoder(mechanism))
    throw LineReader::wrong(
        name, fmt::format("{}: is driven by duty and has no encoder: it knows no places", mechanism.name));
  OrderReader order(reader, move.mechanism);
  const Word& how = reader.word("'to' or 'by'");
  if (how.text == "to") {
    move.order.to = order.station_or("a position such as 85 mm");
  } else if (how.text == "by") {
    move.order.by = order.position("a way such as -5 mm");
  } else {
    throw LineReader::wrong(how,
                            fmt::format("found '{}'; expected 'to' (a position) or 'by' (a way)", how.text));
  }
  if (move.by_encoder) {
    if (reader.take("at")) move.order.speed = order.held_speed("a speed such as 60 rpm");
    return std::make_unique<Move>(std::move(move));
  }
  order.limits(move.order);
  order.takes(move.order);
  return std::make_unique<Move>(std::move(move));
}

std::unique_ptr<Verb> read_turn(LineReader& reader) {
  using Moved = LineReader::Moved;
  const Word name = reader.peek();
  OrderedMove move{reader.mechanism({Moved::by_steps, Moved::on_bus}), {}};
  const Mechanism& mechanism = reader.rig().mechanisms[move.mechanism];
  if (output_kind(mechanism.train) != OutputKind::rotary)
    throw LineReader::wrong(
        name, fmt::format("{} travels along a line: it moves, and does not turn", mechanism.name));
  reader.expect("to");
  OrderReader order(reader, move.mechanism);
  TurnOrder turn;
  turn.to = order.station_or("an angle such as 225 deg");
  if (const std::optional<Way> way = order.way()) turn.way = *way;
  move.order = move_of(mechanism, turn);
  order.limits(move.order);
  order.takes(move.order);
  return std::make_unique<Move>(std::move(move));
}

}  // namespace cogstride
