// repeat 3 times ... end; repeat without end ... end
#include <fmt/format.h>

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

  void foresee(const Statement& statement, Walk& walk) const override {
    Foreseen& known = walk.known;
    walk.go_through(inside());
    if (known.endless != nullptr) return;
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

 private:
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

}  // namespace

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
