// repeat 3 times ... end; repeat without end ... end; leave
#include <fmt/format.h>

#include <utility>

#include "cogstride/quantity/text.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/order_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

/// A repeat's body either sends a mechanism to a place that does not depend on where it began, or shifts it
/// by the same way each time. So its first, second and last pass show every place that any pass can reach,
/// and the way between the ends of the first two gives where the last one begins.
class Repeat final : public Block {
 public:
  /// @param count  0: without end
  explicit Repeat(std::int64_t count) : count_(count) {}
  [[nodiscard]] std::optional<std::int64_t> passes() const override { return count_; }
  [[nodiscard]] bool repeats() const override { return true; }

  void foresee(const Statement& statement, Walk& walk) const override {
    Foreseen& known = walk.known;
    const std::vector<Foreseen> left_before = std::exchange(known.left, {});
    foresee_passes(statement, walk);
    const std::vector<Foreseen> left = std::exchange(known.left, left_before);
    if (left.empty()) return;
    // How often it goes round is not known then.
    const bool goes_on = !known.has_left && known.endless != &statement;
    Foreseen then = goes_on ? known : left.front();
    for (const Foreseen& each : left) then = either(then, each);
    known = std::move(then);
    known.endless = nullptr;
    known.length.is_whole = false;
    known.length.has_an_end = true;
    known.left = left_before;
    known.has_left = false;
  }

 private:
  void foresee_passes(const Statement& statement, Walk& walk) const {
    Foreseen& known = walk.known;
    walk.go_through(inside());
    if (known.endless != nullptr || known.has_left) return;
    if (count_ == 0) known.length.has_an_end = false;
    if (count_ == 1) return;
    const Foreseen first = known;
    walk.go_through(inside());
    const double each = known.length.seconds - first.length.seconds;
    if (count_ != 2) skip_to_last_pass(first, walk);
    if (count_ == 0) {
      known.endless = &statement;
    } else {
      known.length.seconds = first.length.seconds + each * static_cast<double>(count_ - 1);
    }
  }

  void skip_to_last_pass(const Foreseen& first, Walk& walk) const {
    for (std::size_t i = 0; i < walk.known.standing.size(); ++i) {
      const std::optional<OutputPosition>& was = first.standing[i].at;
      std::optional<OutputPosition>& is = walk.standing(i).at;
      if (!was || !is) continue;
      const Ratio shift = is->base - was->base;
      if (count_ != 0) {
        is->base = was->base + shift * Ratio(count_ - 2);
      } else if (shift != Ratio(0) && walk.rig.mechanisms[i].limits.travel_from) {
        throw RangeError(fmt::format("each pass takes {} on by {}: without end it leaves its travel",
                                     walk.rig.mechanisms[i].name, to_text(OutputPosition{is->kind, shift})));
      }
    }
    walk.go_through(inside());
  }

  std::int64_t count_;
};

/// What stands behind it in its block is never reached.
class Leave final : public Verb {
 public:
  void foresee(const Statement&, Walk& walk) const override {
    Foreseen now = walk.known;
    now.left.clear();
    walk.known.left.push_back(std::move(now));
    walk.known.has_left = true;
  }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage&) const override { return nullptr; }
  [[nodiscard]] bool leaves_repeat() const override { return true; }
};

}  // namespace

std::unique_ptr<Verb> read_leave(LineReader&) {
  return std::make_unique<Leave>();
}

std::unique_ptr<Block> read_repeat(LineReader& reader) {
  if (reader.take("without")) {
    reader.expect("end");
    return std::make_unique<Repeat>(0);
  }
  const std::int64_t count = reader.count("a count such as 3", 1, most_repeats);
  reader.expect("times");
  return std::make_unique<Repeat>(count);
}

}  // namespace cogstride
