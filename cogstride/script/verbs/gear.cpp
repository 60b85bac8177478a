// gear traverse; gear drum to reel by gears 28:75 until reel stands; change traverse to 1.5 mm for each turn;
// nudge traverse by 0.2 mm; let traverse go
#include <fmt/format.h>

#include <charconv>
#include <functional>
#include <tuple>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/gearing/changes.hpp"
#include "cogstride/motion/gearing/follow.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

using Moved = LineReader::Moved;
constexpr ExactTime joining_looks = ExactTime::from_base({1, 1000});

Follows& follows_of(Mover& mover) {
  return able(mover.name(), mover.follows(), "follow another");
}

/// @throws RangeError unless it follows here
void require_following(const Walk& walk, std::size_t mechanism) {
  if (walk.standing(mechanism).follows != nullptr) return;
  const std::string& name = walk.rig.mechanisms[mechanism].name;
  throw RangeError(fmt::format("{0} follows nothing here: write 'gear {0} to ...' first", name));
}

/// Until it goes along, or what it is to do has ended.
class Joining final : public Doing {
 public:
  Joining(const Stage& stage, Mover& mover, std::shared_ptr<MotionRecord> record)
      : mover_(mover),
        record_(std::move(record)),
        between_looks_(ticks_at_least(joining_looks, stage.cast.clock)),
        looks_at_(stage.lines.now() + between_looks_) {}
  [[nodiscard]] bool is_over(Tick) const override {
    if (record_->has_ended()) return true;
    const Follow* const follow = follows_of(mover_).following();
    return follow != nullptr && follow->goes_along();
  }
  [[nodiscard]] std::string failure(Tick) const override {
    if (!record_->has_ended() || record_->status == MotionStatus::done) return {};
    return record_->fault.empty() ? "was cancelled" : record_->fault;
  }
  [[nodiscard]] Tick wakes_at() const override { return looks_at_; }
  void act(Lines& lines) override { looks_at_ = lines.now() + between_looks_; }

 private:
  Mover& mover_;
  std::shared_ptr<MotionRecord> record_;
  Tick between_looks_;
  Tick looks_at_;
};

class GearTo final : public Verb {
 public:
  GearTo(std::size_t mechanism, GearOrder order) : mechanism_(mechanism), order_(std::move(order)) {}
  void foresee(const Statement& statement, Walk& walk) const override {
    const Mechanism& mechanism = walk.rig.mechanisms[mechanism_];
    if (mechanism.is_movable()) {
      require_homed(walk, mechanism_);
    } else {
      require_rest(walk, mechanism_);
    }
    walk.standing(mechanism_).follows = &statement;
    walk.standing(mechanism_).at.reset();
    walk.known.length.is_whole = false;
  }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_, .moves = true}; }
  [[nodiscard]] const GearOrder* gear() const override { return &order_; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    return std::make_unique<Joining>(stage, mover, stage.cast.gear(mover, order_));
  }

 private:
  std::size_t mechanism_;
  GearOrder order_;
};

/// Something about how it follows, at once.
class Changes final : public Verb {
 public:
  using Change = std::function<void(const Stage&, Mover&)>;
  Changes(std::size_t mechanism, Change change) : mechanism_(mechanism), change_(std::move(change)) {}
  void foresee(const Statement&, Walk& walk) const override { require_following(walk, mechanism_); }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    change_(stage, stage.mover(mechanism_));
    return nullptr;
  }

 private:
  std::size_t mechanism_;
  Change change_;
};

class LetGo final : public Verb {
 public:
  explicit LetGo(std::size_t mechanism) : mechanism_(mechanism) {}
  void foresee(const Statement&, Walk& walk) const override {
    require_following(walk, mechanism_);
    walk.standing(mechanism_).follows = nullptr;
    walk.known.length.is_whole = false;
  }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_}; }
  [[nodiscard]] bool lets_go() const override { return true; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    follows_of(mover).let_go(stage.lines);
    return std::make_unique<Standing>(mover);
  }

 private:
  class Standing final : public Doing {
   public:
    explicit Standing(Mover& mover) : mover_(mover) {}
    [[nodiscard]] bool is_over(Tick) const override { return mover_.has_ended(); }

   private:
    Mover& mover_;
  };

  std::size_t mechanism_;
};

/// So many counts of its encoder, as a way of its output.
std::optional<OutputPosition> in_counts(const Mechanism& mechanism, const std::string& text) {
  const std::size_t blank = text.find(' ');
  if (blank == std::string::npos || (text.substr(blank + 1) != "counts" && text.substr(blank + 1) != "count"))
    return std::nullopt;
  for (const Sensor& sensor : mechanism.sensors)
    if (const auto* const encoder = std::get_if<Encoder>(&sensor)) {
      const Ratio counts = counts_per_base(mechanism, *encoder);
      return OutputPosition{output_kind(mechanism.train),
                            parse_ratio(text.substr(0, blank)) / (counts < Ratio(0) ? -counts : counts)};
    }
  throw RangeError(fmt::format("{} has no encoder that counts", mechanism.name));
}

/// "1.4 mm for each turn", "gears 28:75"
void read_ratio(LineReader& reader, const Mechanism& follower, Leading& leading) {
  const Mechanism leader = leader_named(reader.rig(), leading.leader);
  const OutputKind kind = output_kind(leader.train);
  if (reader.take("gears")) {
    const Word pair = reader.word("teeth of the driving and the driven gear, such as 28:75");
    const std::size_t colon = pair.text.find(':');
    std::int64_t driving = 0;
    std::int64_t driven = 0;
    const auto teeth = [&](std::string_view text, std::int64_t& count) {
      const auto [stop, status] = std::from_chars(text.data(), text.data() + text.size(), count);
      return status == std::errc() && stop == text.data() + text.size() && count > 0;
    };
    if (colon == std::string_view::npos || !teeth(pair.text.substr(0, colon), driving) ||
        !teeth(pair.text.substr(colon + 1), driven))
      throw LineReader::wrong(pair, fmt::format("found '{}'; expected teeth of the driving and the driven "
                                                "gear, such as 28:75",
                                                pair.text));
    if (kind != OutputKind::rotary || output_kind(follower.train) != OutputKind::rotary)
      throw LineReader::wrong(pair, "gears join what turns: write a way for each turn");
    leading.by = {OutputKind::rotary, Ratio(driving, driven)};
    leading.for_each = {OutputKind::rotary, Ratio(1)};
    return;
  }
  leading.by = reader.fraction("a way such as 1.4 mm, or 'gears'", [&](const std::string& text) {
    const OutputPosition way = parse_output<0>(follower, text);
    require_kind(follower, way.kind);
    return way;
  });
  reader.expect("for");
  reader.expect("each");
  if (reader.take("turn")) {
    if (kind != OutputKind::rotary)
      throw reader.wrong_statement(fmt::format("{} moves along a line: it has no turns", leader.name));
    leading.for_each = {OutputKind::rotary, Ratio(1)};
    return;
  }
  leading.for_each = reader.fraction("'turn', or an amount such as 1 mm", [&](const std::string& text) {
    const auto counts = in_counts(leader, text);
    const OutputPosition way = counts ? *counts : parse_output<0>(leader, text);
    require_kind(leader, way.kind);
    if (!(Ratio(0) < way.base)) throw RangeError("the leader's way is above 0; the sign is the follower's");
    return way;
  });
}

std::size_t read_follower(LineReader& reader) {
  return reader.mechanism({Moved::by_steps, Moved::by_duty, Moved::six_step, Moved::on_bus});
}

std::string read_leader(LineReader& reader) {
  if (reader.comes_a_shaft()) return std::string(reader.word("a shaft").text);
  const std::size_t place =
      reader.mechanism({Moved::by_steps, Moved::by_duty, Moved::six_step, Moved::on_bus});
  return reader.rig().mechanisms[place].name;
}

/// "12 mm and 92 mm"
std::pair<OutputPosition, OutputPosition> read_ends(LineReader& reader, const Mechanism& mechanism) {
  const Word first = reader.peek();
  const auto end = [&](const std::string& wanted) {
    return reader.amount(wanted, [&](const std::string& text) {
      const OutputPosition at = parse_output<0>(mechanism, text);
      return target_of(mechanism, at, {.to = at});
    });
  };
  const OutputPosition from = end("a place such as 12 mm");
  reader.expect("and");
  const OutputPosition to = end("a place such as 92 mm");
  if (to.base <= from.base)
    throw LineReader::wrong(
        first, fmt::format("between {} and {}: the first must be the lower", to_text(from), to_text(to)));
  return {from, to};
}

/// What changes from layer to layer, and how many there are.
bool read_lay(LineReader& reader, const Mechanism& mechanism, GearOrder& order) {
  const auto lay = [&](const Word& word) -> LayOrder& {
    if (!order.lay)
      throw LineReader::wrong(word, "say between which ends it is laid first: 'between A and B'");
    return *order.lay;
  };
  const Word word = reader.peek();
  if (reader.take("between")) {
    order.lay.emplace();
    std::tie(order.lay->from, order.lay->to) = read_ends(reader, mechanism);
    const OutputKind kind = output_kind(mechanism.train);
    order.lay->from_moves = order.lay->to_moves = {kind, Ratio(0)};
    order.lay->dwells = {order.to.first.for_each.kind, Ratio(0)};
  } else if (reader.take("for")) {
    lay(word).layers = reader.count("a number of layers such as 7", 1, 1'000'000);
    if (!reader.take("layer")) reader.expect("layers");
  } else if (reader.take("dwelling")) {
    reader.expect("for");
    const Mechanism leader = leader_named(reader.rig(), order.to.first.leader);
    lay(word).dwells =
        reader.fraction("so much of the leader's way, such as 1/2 turn", [&](const std::string& text) {
          const OutputPosition way = parse_output<0>(leader, text);
          require_kind(leader, way.kind);
          if (way.base < Ratio(0)) throw RangeError("a dwell is not below 0");
          return way;
        });
  } else if (reader.take("narrowing")) {
    reader.expect("by");
    const OutputPosition by = reader.position(mechanism, "a way such as 0.5 mm");
    lay(word).from_moves.base += by.base;
    lay(word).to_moves.base -= by.base;
  } else if (reader.take("shifting")) {
    reader.expect("by");
    const OutputPosition by = reader.position(mechanism, "a way such as 0.2 mm");
    lay(word).from_moves.base += by.base;
    lay(word).to_moves.base += by.base;
  } else {
    return false;
  }
  return true;
}

/// How it joins and leaves.
void read_how(LineReader& reader, const Mechanism& mechanism, GearOrder& order) {
  for (;;) {
    if (read_lay(reader, mechanism, order)) continue;
    if (reader.take("starting")) {
      reader.expect("where");
      reader.expect("it");
      reader.expect("is");
      order.catches_up = false;
    } else if (reader.take("when")) {
      const Word name = reader.peek();
      if (read_leader(reader) != order.to.first.leader)
        throw LineReader::wrong(name,
                                fmt::format("it sets off by {}, which it follows", order.to.first.leader));
      reader.expect("passes");
      order.when_passes =
          reader.position(leader_named(reader.rig(), order.to.first.leader), "a place such as 90 deg");
    } else if (reader.take("until")) {
      const Word name = reader.peek();
      if (read_leader(reader) != order.to.first.leader)
        throw LineReader::wrong(name, fmt::format("it follows {}", order.to.first.leader));
      reader.expect("stands");
      order.ends_with_leader = true;
    } else if (reader.take("without")) {
      reader.expect("compensation");
      order.to.compensated = false;
    } else if (reader.take("falling")) {
      reader.expect("behind");
      reader.expect("by");
      reader.expect("at");
      reader.expect("most");
      order.to.may_fall_behind = reader.position(mechanism, "a way such as 2 mm");
    } else {
      return;
    }
  }
}

}  // namespace

std::unique_ptr<Verb> read_gear(LineReader& reader) {
  const Word name = reader.peek();
  const std::size_t place = read_follower(reader);
  const Mechanism& mechanism = reader.rig().mechanisms[place];
  GearOrder order;
  if (mechanism.follows) order.to = *mechanism.follows;
  if (reader.take("to")) {
    const std::string leader = read_leader(reader);
    const bool is_the_rigs = mechanism.follows && mechanism.follows->first.leader == leader;
    if (!is_the_rigs || reader.next_is("by")) {
      reader.expect("by");
      order.to.first = {};
      order.to.also.reset();
      order.to.first.leader = leader;
      read_ratio(reader, mechanism, order.to.first);
      if (reader.take("and")) {
        Leading also;
        also.leader = read_leader(reader);
        reader.expect("by");
        read_ratio(reader, mechanism, also);
        order.to.also = also;
      }
    }
  } else if (!mechanism.follows) {
    throw LineReader::wrong(
        name,
        fmt::format("{0} follows nothing in its rig: write 'gear {0} to LEADER by ...', or give the rig "
                    "a table mechanism.{0}.follows",
                    mechanism.name));
  }
  read_how(reader, mechanism, order);
  return std::make_unique<GearTo>(place, std::move(order));
}

std::unique_ptr<Verb> read_change(LineReader& reader) {
  const Word name = reader.peek();
  const std::size_t place = read_follower(reader);
  const Mechanism& mechanism = reader.rig().mechanisms[place];
  if (reader.take("between")) {
    const std::pair<OutputPosition, OutputPosition> ends = read_ends(reader, mechanism);
    return std::make_unique<Changes>(place, [ends](const Stage& stage, Mover& mover) {
      change_ends(mover, ends.first, ends.second, stage.lines.now());
    });
  }
  reader.expect("to");
  Following to;
  if (mechanism.follows) to = *mechanism.follows;
  // "... of LEADER": that says what the leader's way is one of.
  LineReader ahead = reader;
  while (!ahead.at_end() && !ahead.take("of")) (void)ahead.word("a word");
  if (!ahead.at_end()) {
    const std::string leader = read_leader(ahead);
    if (leader != to.first.leader) to = {};
    to.first.leader = leader;
  }
  if (to.first.leader.empty())
    throw LineReader::wrong(
        name, fmt::format("its rig does not say what {0} follows: write 'change {0} to ... for each turn of "
                          "LEADER'",
                          mechanism.name));
  read_ratio(reader, mechanism, to.first);
  if (reader.take("of")) (void)read_leader(reader);
  return std::make_unique<Changes>(
      place, [to = std::move(to)](const Stage& stage, Mover& mover) { stage.cast.change_gear(mover, to); });
}

std::unique_ptr<Verb> read_nudge(LineReader& reader) {
  const std::size_t place = read_follower(reader);
  reader.expect("by");
  const OutputPosition by = reader.position(reader.rig().mechanisms[place], "a way such as 0.2 mm");
  return std::make_unique<Changes>(
      place, [by](const Stage& stage, Mover& mover) { nudge(mover, by, stage.lines.now()); });
}

std::unique_ptr<Verb> read_let(LineReader& reader) {
  const std::size_t place = read_follower(reader);
  reader.expect("go");
  return std::make_unique<LetGo>(place);
}

}  // namespace cogstride
