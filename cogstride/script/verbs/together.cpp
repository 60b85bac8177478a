// arrive together ... end: moves that begin and arrive at once; start together ... end: side by side
#include <fmt/format.h>

#include <algorithm>

#include "cogstride/motion/mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

/// Each statement inside begins where the mechanisms stood before; they use different ones.
void foresee_side_by_side(std::span<const Statement> statements, Walk& walk) {
  Foreseen& known = walk.known;
  const double before = known.length.seconds;
  double longest = before;
  const Statement* endless = known.endless;
  for (const Statement& branch : statements) {
    known.length.seconds = before;
    known.endless = nullptr;
    walk.go_through({&branch, 1});
    longest = std::max(longest, known.length.seconds);
    if (known.endless != nullptr) endless = known.endless;
  }
  known.length.seconds = longest;
  known.endless = endless;
}

void add_once(std::vector<std::size_t>& found, std::size_t mechanism) {
  if (std::find(found.begin(), found.end(), mechanism) == found.end()) found.push_back(mechanism);
}

/// The mechanisms that a statement and those inside it are about.
void add_mechanisms_of(const Statement& statement, const Rig& rig, std::vector<std::size_t>& found) {
  for (const std::size_t mechanism : mechanisms_of(statement.verb->about(), rig)) add_once(found, mechanism);
  for (const Statement& inner : statement.verb->inside()) add_mechanisms_of(inner, rig, found);
}

class Together : public Block {
 public:
  void foresee(const Statement&, Walk& walk) const override { foresee_side_by_side(inside(), walk); }
  [[nodiscard]] bool may_be_empty() const override { return false; }
  [[nodiscard]] bool has_known_length() const override {
    return std::all_of(inside().begin(), inside().end(),
                       [](const Statement& each) { return each.verb->has_known_length(); });
  }
  [[nodiscard]] std::vector<Complaint> complaints(const Statement& itself, const Rig& rig) const override {
    std::vector<Complaint> found;
    std::vector<std::pair<std::size_t, const Statement*>> used;
    for (const Statement& branch : inside()) {
      std::vector<std::size_t> own;
      add_mechanisms_of(branch, rig, own);
      for (const std::size_t mechanism : own) {
        const auto before =
            std::find_if(used.begin(), used.end(), [&](const auto& each) { return each.first == mechanism; });
        if (before == used.end()) continue;
        found.push_back({&branch, fmt::format("{} moves already in this '{}' (line {})",
                                              mechanism == About::everything ? "everything"
                                                                             : rig.mechanisms[mechanism].name,
                                              itself.text, before->second->place.line)});
        break;
      }
      for (const std::size_t mechanism : own) used.emplace_back(mechanism, &branch);
    }
    return found;
  }
};

class ArriveTogether final : public Together {
 public:
  [[nodiscard]] std::string refuses(const Statement& statement) const override {
    if (statement.verb->move() != nullptr) return {};
    return "only moves stand in 'arrive together'; close it with 'end' first";
  }
  [[nodiscard]] std::vector<Complaint> complaints(const Statement& itself, const Rig& rig) const override {
    std::vector<Complaint> found;
    for (const Statement& branch : inside()) {
      const OrderedMove& move = *branch.verb->move();
      if (move.by_encoder) {
        found.push_back(
            {&branch,
             fmt::format("{} moves by its encoder: how long it takes is not known ahead, so nothing can "
                         "arrive together with it; 'start together' begins at one instant",
                         rig.mechanisms[move.mechanism].name)});
      } else if (move.order.in) {
        found.push_back({&branch, "moves that arrive together take the time of the longest: leave 'in' out"});
      }
    }
    for (Complaint& each : Together::complaints(itself, rig)) found.push_back(std::move(each));
    return found;
  }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    std::vector<std::pair<Mover*, MoveOrder>> orders;
    for (const Statement& each : inside()) {
      const OrderedMove& move = *each.verb->move();
      orders.emplace_back(&stage.mover(move.mechanism), move.order);
    }
    return std::make_unique<Motions>(stage.cast.arrive_together(orders));
  }
};

class StartTogether final : public Together {
 public:
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    return stage.playing.side_by_side(inside());
  }
};

}  // namespace

std::unique_ptr<Block> read_arrive(LineReader& reader) {
  reader.expect("together");
  return std::make_unique<ArriveTogether>();
}

std::unique_ptr<Block> read_start(LineReader& reader) {
  reader.expect("together");
  return std::make_unique<StartTogether>();
}

}  // namespace cogstride
