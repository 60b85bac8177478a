// print "the guide stands at" traverse; print feeder count; print traverse every 400 steps
#include <fmt/format.h>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

constexpr ExactTime looks_each = ExactTime::from_base({1, 1000});
constexpr std::string_view count_word = "count";

/// A text, or what a mechanism says of itself.
struct Item {
  std::string text{};
  std::size_t mechanism = About::nothing;
  std::string signal{};  ///< "": what is asked of it
};

std::string words_of(const Stage& stage, const Item& item) {
  if (item.mechanism == About::nothing) return item.text;
  Mover& mover = stage.mover(item.mechanism);
  const Tick now = stage.lines.now();
  if (Places* const places = mover.places(); places != nullptr && item.signal.empty()) {
    const auto at = places->position(now);
    return at ? fmt::format("{:.6g} {}", display_units_per_base(at->kind) * at->base.to_double(),
                            display_unit(at->kind, 0))
              : "not known";
  }
  if (item.signal.empty()) {
    const std::string asked = mover.asked(now);
    return asked.empty() ? mover.name() + " unasked" : asked;
  }
  if (item.signal == count_word) {
    const std::optional<std::int64_t> count = mover.counted(now);
    if (!count) throw RangeError(mover.name() + ": counts nothing");
    return std::to_string(*count);
  }
  return stage.cast.signal(mover, item.signal);
}

std::string line_of(const Stage& stage, const std::vector<Item>& items) {
  std::string line;
  for (const Item& item : items) line += (line.empty() ? "" : " ") + words_of(stage, item);
  return line;
}

/// One line now.
class Print final : public Verb {
 public:
  explicit Print(std::vector<Item> items) : items_(std::move(items)) {}
  void foresee(const Statement&, Walk&) const override {}
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    stage.cast.tell("print", line_of(stage, items_));
    return nullptr;
  }

 private:
  std::vector<Item> items_;
};

/// One line each time that a mechanism has gone so far, until its motion has ended.
class PrintEvery final : public Verb {
 public:
  PrintEvery(std::vector<Item> items, std::size_t mechanism, OutputPosition way)
      : items_(std::move(items)), mechanism_(mechanism), way_(way) {}
  void foresee(const Statement&, Walk&) const override {}
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    return std::make_unique<Printing>(stage, *this);
  }

 private:
  class Printing final : public Doing {
   public:
    Printing(const Stage& stage, const PrintEvery& verb)
        : stage_(stage),
          verb_(verb),
          mover_(stage.mover(verb.mechanism_)),
          places_(able(mover_.name(), mover_.places(), "tell places")),
          between_looks_(ticks_at_least(looks_each, stage.cast.clock)),
          looks_at_(stage.lines.now()),
          came_to_(at()) {}
    [[nodiscard]] bool is_over(Tick) const override {
      return (has_begun_ || looks_ > most_looks) && mover_.stands();
    }
    [[nodiscard]] Tick wakes_at() const override { return looks_at_; }
    void act(Lines& lines) override {
      looks_at_ = lines.now() + between_looks_;
      ++looks_;
      has_begun_ = has_begun_ || !mover_.has_ended();
      const std::optional<Ratio> now = at();
      if (!now) return;
      if (!came_to_) came_to_ = now;
      for (const Ratio step = verb_.way_.base; *now - *came_to_ >= step || *came_to_ - *now >= step;) {
        came_to_ = *came_to_ + (*now > *came_to_ ? step : -step);
        stage_.cast.tell("print", line_of(stage_, verb_.items_));
      }
    }

   private:
    [[nodiscard]] std::optional<Ratio> at() const {
      const auto position = places_.position(stage_.lines.now());
      return position ? std::optional(position->base) : std::nullopt;
    }

    const Stage stage_;
    const PrintEvery& verb_;
    Mover& mover_;
    Places& places_;
    Tick between_looks_;
    Tick looks_at_;
    std::optional<Ratio> came_to_;
    static constexpr int most_looks = 50;  // where nothing moves it
    int looks_ = 0;
    bool has_begun_ = false;
  };

  std::vector<Item> items_;
  std::size_t mechanism_;
  OutputPosition way_;
};

/// What may follow a mechanism's name: signals that a mover of some kind publishes.
constexpr std::string_view signal_words[] = {count_word,     "asked",          "measured",        "duty",
                                             "wanted_speed", "measured_speed", "measured_current"};

Item read_item(LineReader& reader) {
  const Word& word = reader.word("a text in quotes, or the name of a mechanism");
  if (word.text.front() == '"') {
    if (word.text.size() < 2 || word.text.back() != '"')
      throw LineReader::wrong(word, "this text has no quote at its end");
    return {std::string(word.text.substr(1, word.text.size() - 2)), About::nothing, {}};
  }
  try {
    const Mechanism& mechanism = mechanism_named(reader.rig(), std::string(word.text));
    Item item{{}, static_cast<std::size_t>(&mechanism - reader.rig().mechanisms.data()), {}};
    for (const std::string_view signal : signal_words)
      if (item.signal.empty() && reader.take(signal)) item.signal = signal;
    return item;
  } catch (const RangeError& error) {
    throw LineReader::wrong(word, std::string(error.what()) + "; a text stands in quotes");
  }
}

}  // namespace

std::unique_ptr<Verb> read_print(LineReader& reader) {
  std::vector<Item> items{read_item(reader)};
  while (!reader.at_end() && !reader.next_is("every")) items.push_back(read_item(reader));
  if (!reader.take("every")) return std::make_unique<Print>(std::move(items));
  std::size_t whose = About::nothing;
  for (const Item& item : items)
    if (whose == About::nothing) whose = item.mechanism;
  if (whose == About::nothing)
    throw reader.wrong_statement(
        "'every' goes by a mechanism's way: name one, as in print traverse every 10 mm");
  const OutputPosition way =
      reader.position(reader.rig().mechanisms[whose], "a way such as 10 mm or 400 steps");
  if (!(Ratio(0) < way.base)) throw reader.wrong_statement("a way above 0");
  return std::make_unique<PrintEvery>(std::move(items), whose, way);
}

}  // namespace cogstride
