// whichever comes first ... end: what is waited for at once, and what is done then
//
//   whichever comes first
//     when panel.station is heard
//       turn creel to station panel.station
//     end
//     when pedal is on
//       leave
//     end
//     after 30 s
//       stop everything
//     end
//   end
#include <fmt/format.h>

#include <algorithm>

#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

/// One of what may come, and what is done then.
class When final : public Block {
 public:
  When(std::string word, std::unique_ptr<Verb> happening)
      : word_(std::move(word)), happening_(std::move(happening)) {}
  [[nodiscard]] const Verb* happening() const override { return happening_.get(); }
  [[nodiscard]] std::optional<std::int64_t> passes() const override { return 1; }
  void foresee(const Statement& statement, Walk& walk) const override {
    happening_->foresee(statement, walk);
    walk.known.length.is_whole = false;
    walk.go_through(inside());
  }
  [[nodiscard]] std::string refuses_to_stand_in(const Block* block) const override {
    if (block != nullptr && block->is_of_happenings()) return {};
    return fmt::format("'{}' stands in 'whichever comes first'", word_);
  }

 private:
  std::string word_;
  std::unique_ptr<Verb> happening_;
};

class Whichever final : public Block {
 public:
  [[nodiscard]] bool goes_on_in_its_row() const override { return true; }
  [[nodiscard]] bool is_of_happenings() const override { return true; }
  [[nodiscard]] bool may_be_empty() const override { return false; }
  [[nodiscard]] std::string refuses(const Statement& statement) const override {
    if (statement.verb->happening() != nullptr) return {};
    return "in 'whichever comes first' stand 'when ...' and 'after ...', each with its 'end'; what is done "
           "stands in those";
  }
  void foresee(const Statement&, Walk& walk) const override {
    const Foreseen before = walk.known;
    std::optional<Foreseen> then;
    for (const Statement& when : inside()) {
      walk.known = before;
      walk.known.left.clear();
      walk.go_through({&when, 1});
      then = then ? either(*then, walk.known) : walk.known;
    }
    walk.known = *then;
    walk.known.left.insert(walk.known.left.begin(), before.left.begin(), before.left.end());
  }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    return std::make_unique<Choosing>(inside(), stage);
  }

 private:
  class Choosing final : public Doing {
   public:
    Choosing(std::span<const Statement> whens, const Stage& stage) : whens_(whens) {
      for (const Statement& when : whens) waits_.push_back(when.verb->happening()->begin(stage));
    }
    [[nodiscard]] bool is_over(Tick now) const override { return first(now) < waits_.size(); }
    [[nodiscard]] std::string failure(Tick now) const override {
      if (is_over(now)) return {};
      for (const auto& wait : waits_)
        if (std::string why = wait->failure(now); !why.empty()) return why;
      return {};
    }
    [[nodiscard]] Tick wakes_at() const override {
      Tick soonest = never;
      for (const auto& wait : waits_) soonest = std::min(soonest, wait->wakes_at());
      return soonest;
    }
    void act(Lines& lines) override {
      for (const auto& wait : waits_) wait->act(lines);
    }
    [[nodiscard]] std::span<const Statement> goes_on_with(Tick now) const override {
      return whens_[first(now)].verb->inside();
    }

   private:
    /// Of several that have come at once, the one that stands first.
    [[nodiscard]] std::size_t first(Tick now) const {
      const auto over =
          std::find_if(waits_.begin(), waits_.end(), [&](const auto& wait) { return wait->is_over(now); });
      return static_cast<std::size_t>(over - waits_.begin());
    }

    std::span<const Statement> whens_;
    std::vector<std::unique_ptr<Doing>> waits_{};
  };
};

}  // namespace

std::unique_ptr<Block> read_whichever(LineReader& reader) {
  reader.expect("comes");
  reader.expect("first");
  return std::make_unique<Whichever>();
}

std::unique_ptr<Block> read_when(LineReader& reader) {
  return std::make_unique<When>("when", read_happening(reader, false));
}

std::unique_ptr<Block> read_after(LineReader& reader) {
  return std::make_unique<When>("after", read_pause(reader));
}

}  // namespace cogstride
