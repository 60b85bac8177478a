#include "cogstride/script/valued.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <utility>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/devices/amounts.hpp"
#include "cogstride/motion/devices/heard.hpp"
#include "cogstride/motion/knob.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/plan/knob.hpp"

namespace cogstride {
namespace {

using Says = SaidControl::Says;

constexpr ExactTime looking_period = ExactTime::from_base({1, 20});
constexpr double hardly = 0.004;  // share of a travel by which it has to differ to be followed

/// A hand that says an amount.
struct Valuer {
  std::string name{};
  bool is_knob = false;
  std::size_t place = 0;  // of a device's control
  Says says = Says::share;
  bool has_centre = false;
  std::int64_t lowest = 0;
  std::int64_t highest = 0;
  std::optional<TravelAmount> travel{};
  std::optional<UnitAmount> each{};

  [[nodiscard]] bool is_number() const { return says == Says::number; }
  /// What it says now: a share, or a number; nothing: it has not said anything yet.
  [[nodiscard]] std::optional<double> now(const Cast& cast) const {
    if (is_knob) return cast.knob(name).known_share();
    if (!is_number()) return cast.heard->share(place);
    const std::optional<std::int64_t> said = cast.heard->number(place);
    return said ? std::optional(static_cast<double>(*said)) : std::nullopt;
  }
  [[nodiscard]] std::string text(double value) const {
    if (travel) return travel->text(value);
    if (each) return each->text(value);
    return is_number() ? fmt::format("{:.0f}", value) : fmt::format("{:.4g} %", 100.0 * value);
  }
  [[nodiscard]] bool is_nothing(double value) const {
    return !is_number() && TravelAmount::is_nothing(value);
  }
  [[nodiscard]] bool differs(double value, double from) const {
    return std::abs(value - from) >= (is_number() ? 0.5 : hardly) || is_nothing(value) != is_nothing(from);
  }
  /// The least and the most that it can come to.
  [[nodiscard]] std::array<double, 2> ends() const {
    if (is_number()) return {static_cast<double>(lowest), static_cast<double>(highest)};
    return {has_centre ? -1.0 : TravelAmount::nothing, 1.0};
  }
};

std::vector<Valuer> valuers(const Rig& rig) {
  std::vector<Valuer> all;
  for (const HandControl& hand : rig.hands) {
    if (!hand.channel || !rig.controller.analogue) continue;
    Valuer valuer{.name = hand.name, .is_knob = true};
    valuer.has_centre = KnobScale(hand, *rig.controller.analogue).has_centre();
    all.push_back(std::move(valuer));
  }
  const std::vector<SaidControl> said = said_controls(rig);
  for (std::size_t i = 0; i < said.size(); ++i) {
    const SaidControl& control = said[i];
    if (control.says != Says::number && control.says != Says::share) continue;
    Valuer valuer{.name = control.name, .place = i, .says = control.says, .has_centre = control.has_centre};
    valuer.lowest = control.lowest;
    valuer.highest = control.highest;
    all.push_back(std::move(valuer));
  }
  return all;
}

/// What it takes to read the statement again, with other amounts.
class Sentence {
 public:
  Sentence(const SourceLine& line, std::size_t words, const Rig& rig, const PatternValues& values,
           std::span<const Stretch> stretches, const VerbWord& read)
      : text_(line.text),
        number_(line.number),
        words_(words),
        rig_(rig),
        values_(values),
        stretches_(stretches.begin(), stretches.end()),
        read_(read) {}

  /// @throws Wrong
  [[nodiscard]] std::shared_ptr<const Verb> with(
      const std::vector<std::pair<std::string, std::string>>& said) const {
    PatternValues values = values_;
    for (const auto& [name, amount] : said) values[name] = amount;
    const SourceLine line = head();
    LineReader reader(line, rig_, values, stretches_);
    (void)reader.word("a verb");
    std::shared_ptr<const Verb> verb = read_.read(reader);
    reader.expect_end();
    return verb;
  }
  /// "stop spindle". @throws Wrong
  [[nodiscard]] std::shared_ptr<const Verb> stop() const {
    const std::string text = fmt::format("stop {}", head().words[1].text);
    const SourceLine line = split_words(number_, text);
    LineReader reader(line, rig_, values_, stretches_);
    (void)reader.word("a verb");
    for (const VerbWord& word : verb_words())
      if (word.word == "stop") return word.read(reader);
    return nullptr;
  }

 private:
  [[nodiscard]] SourceLine head() const {
    SourceLine line = split_words(number_, text_);
    line.words.resize(words_);
    return line;
  }

  std::string text_;
  std::size_t number_;
  std::size_t words_;  // without what says what hands amount to
  const Rig& rig_;
  PatternValues values_;
  std::vector<Stretch> stretches_;
  const VerbWord& read_;
};

/// As a fault of the script: what is read again may be refused for an amount between those that were tried.
std::shared_ptr<const Verb> read_again(const std::function<std::shared_ptr<const Verb>()>& read) {
  try {
    return read();
  } catch (const Wrong& wrong) {
    throw RangeError(wrong.message);
  }
}

class Valued final : public Verb {
 public:
  Valued(Sentence sentence, std::vector<Valuer> hands)
      : sentence_(std::move(sentence)), hands_(std::move(hands)) {
    for (std::size_t end = 0; end < 2; ++end) {
      std::vector<double> values;
      for (const Valuer& hand : hands_) values.push_back(hand.ends()[end]);
      try {
        at_ends_[end] = sentence_.with(amounts(values));
      } catch (Wrong& wrong) {
        for (const Valuer& hand : hands_)
          if (!hand.travel && !hand.each && !hand.is_number())
            wrong.message += fmt::format(
                "; 'with {} from ... to ...', behind it, says what its travel comes to", hand.name);
        throw;
      }
    }
  }
  void foresee(const Statement& statement, Walk& walk) const override {
    const Foreseen before = walk.known;
    at_ends_[0]->foresee(statement, walk);
    const Foreseen first = std::exchange(walk.known, before);
    at_ends_[1]->foresee(statement, walk);
    walk.known = either(first, walk.known);
    walk.known.length.is_whole = false;
  }
  [[nodiscard]] About about() const override { return at_ends_[1]->about(); }
  [[nodiscard]] std::string told_of(const Rig& rig) const override { return at_ends_[1]->told_of(rig); }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    if (stage.replaces)
      throw RangeError("a hand is followed by a script, or as the rig binds it (binding.NAME.value)");
    return std::make_unique<Beginning>(*this, stage);
  }

 private:
  [[nodiscard]] std::vector<std::pair<std::string, std::string>> amounts(
      const std::vector<double>& values) const {
    std::vector<std::pair<std::string, std::string>> said;
    for (std::size_t i = 0; i < hands_.size(); ++i)
      said.emplace_back(hands_[i].name, hands_[i].text(values[i]));
    return said;
  }
  /// What all of them say; nothing: one has not said anything.
  [[nodiscard]] std::optional<std::vector<double>> now(const Cast& cast) const {
    std::vector<double> values;
    for (const Valuer& hand : hands_) {
      const std::optional<double> value = hand.now(cast);
      if (!value) return std::nullopt;
      values.push_back(*value);
    }
    return values;
  }
  [[nodiscard]] bool is_nothing(const std::vector<double>& values) const {
    for (std::size_t i = 0; i < hands_.size(); ++i)
      if (!hands_[i].is_nothing(values[i])) return false;
    return true;
  }
  [[nodiscard]] bool differ(const std::vector<double>& values, const std::vector<double>& from) const {
    for (std::size_t i = 0; i < hands_.size(); ++i)
      if (hands_[i].differs(values[i], from[i])) return true;
    return false;
  }
  [[nodiscard]] static Mover* mover_of(const About& about, const Cast& cast) {
    if (about.pair != About::nothing) return cast.carts[about.pair];
    if (about.mechanism < cast.mechanisms.size()) return cast.mechanisms[about.mechanism];
    return nullptr;
  }

  /// What has no end of its own, and goes along with the hand.
  class Following final : public Doing {
   public:
    Following(const Valued& what, const Stage& stage, std::vector<double> values,
              std::shared_ptr<const Verb> begun)
        : what_(what),
          rig_(stage.rig),
          cast_(stage.cast),
          playing_(stage.playing.whole()),
          taught_(stage.taught),
          mover_(mover_of(what.about(), stage.cast)),
          between_(ticks_at_least(looking_period, stage.cast.clock)),
          looks_at_(stage.lines.now() + between_),
          values_(std::move(values)),
          begun_(std::move(begun)) {}
    /// Whoever stops what a script moves ends the script.
    [[nodiscard]] bool is_over(Tick) const override { return false; }
    [[nodiscard]] Tick wakes_at() const override { return looks_at_; }
    void act(Lines& lines) override {
      if (lines.now() < looks_at_) return;
      looks_at_ = lines.now() + between_;
      const std::optional<std::vector<double>> now = what_.now(cast_);
      // What cannot be given another order on its way is waited for: a stop.
      Redirects* const redirects = mover_ == nullptr ? nullptr : mover_->redirects();
      if (redirects != nullptr && !redirects->can_be_redirected() && !mover_->has_ended()) return;
      if (!now || !what_.differ(*now, values_)) return;
      values_ = *now;
      begun_ = read_again([&] {
        return mover_ != nullptr && what_.is_nothing(values_) ? what_.sentence_.stop()
                                                              : what_.sentence_.with(what_.amounts(values_));
      });
      (void)begun_->begin({rig_, cast_, lines, playing_, taught_, true});
    }

   private:
    const Valued& what_;
    const Rig& rig_;
    const Cast& cast_;
    Playing& playing_;
    std::vector<TaughtLimit>& taught_;
    Mover* mover_;
    Tick between_;
    Tick looks_at_;
    std::vector<double> values_;
    std::shared_ptr<const Verb> begun_;
  };

  /// Waits until the hand has said something, and is then what it begins.
  class Beginning final : public Doing {
   public:
    Beginning(const Valued& what, const Stage& stage)
        : what_(what), rig_(stage.rig), cast_(stage.cast), playing_(stage.playing), taught_(stage.taught) {
      for (const Valuer& hand : what.hands_)
        if (!hand.is_knob && !hand.now(cast_))
          throw RangeError(fmt::format(
              "{} has not said anything yet{}", hand.name,
              hand.is_number() ? fmt::format(": 'wait until {} is heard' first", hand.name) : ""));
      (void)what.now(cast_);  // a knob is read from now on
      act(stage.lines);
    }
    [[nodiscard]] bool is_over(Tick now) const override {
      return has_begun_ && (doing_ == nullptr || doing_->is_over(now));
    }
    [[nodiscard]] std::string failure(Tick now) const override {
      return doing_ ? doing_->failure(now) : std::string();
    }
    [[nodiscard]] Tick wakes_at() const override {
      if (has_begun_) return doing_ ? doing_->wakes_at() : never;
      return what_.now(cast_) ? 0 : never;
    }
    void act(Lines& lines) override {
      if (has_begun_) {
        if (doing_) doing_->act(lines);
        return;
      }
      const std::optional<std::vector<double>> values = what_.now(cast_);
      if (!values) return;
      has_begun_ = true;
      const Stage stage{rig_, cast_, lines, playing_, taught_, false};
      const bool goes_on = what_.at_ends_[1]->goes_on_until_stopped();
      if (!goes_on || !what_.is_nothing(*values)) {
        verb_ = read_again([&] { return what_.sentence_.with(what_.amounts(*values)); });
        doing_ = verb_->begin(stage);
      }
      if (goes_on) playing_.follow(std::make_unique<Following>(what_, stage, *values, verb_), what_.about());
    }
    [[nodiscard]] std::span<const Statement> goes_on_with(Tick now) const override {
      return doing_ ? doing_->goes_on_with(now) : std::span<const Statement>();
    }

   private:
    const Valued& what_;
    const Rig& rig_;
    const Cast& cast_;
    Playing& playing_;
    std::vector<TaughtLimit>& taught_;
    bool has_begun_ = false;
    std::shared_ptr<const Verb> verb_{};
    std::unique_ptr<Doing> doing_{};
  };

  Sentence sentence_;
  std::vector<Valuer> hands_;
  std::array<std::shared_ptr<const Verb>, 2> at_ends_{};
};

/// Where "with dial from 300 rpm to 1800 rpm" begins, or the line ends.
std::size_t tail_of(const SourceLine& line, const std::vector<Valuer>& known) {
  for (std::size_t i = line.words.size(); i-- > 2;)
    if (i + 1 < line.words.size() && line.words[i].text == "with" &&
        std::any_of(known.begin(), known.end(),
                    [&](const Valuer& each) { return each.name == line.words[i + 1].text; }))
      return i;
  return line.words.size();
}

/// "with dial from 300 rpm to 1800 rpm and panel.pitch each 0.01 mm"
void read_tail(LineReader& reader, std::vector<Valuer>& hands) {
  do {
    const Word name = reader.word("a knob, an axis or a device's number");
    const auto hand =
        std::find_if(hands.begin(), hands.end(), [&](const Valuer& each) { return each.name == name.text; });
    if (hand == hands.end())
      throw LineReader::wrong(name,
                              fmt::format("'{}' stands nowhere in this statement as an amount", name.text));
    if (hand->travel || hand->each) throw LineReader::wrong(name, fmt::format("{} is said twice", name.text));
    const auto amount = [&](const char* wanted) {
      return reader.amount(wanted, [](const std::string& text) { return (void)UnitAmount(text), text; });
    };
    if (hand->is_number()) {
      reader.expect("each");
      hand->each.emplace(amount("what one of its number amounts to, such as 0.01 mm"));
      continue;
    }
    reader.expect("from");
    const Word first = reader.peek();
    const std::string from = amount("an amount just above nothing, such as 300 rpm");
    reader.expect("to");
    const std::string to = amount("an amount at the end of its travel, such as 1800 rpm");
    try {
      hand->travel.emplace(from, to);
    } catch (const RangeError& error) {
      throw LineReader::wrong(first, error.what());
    }
  } while (reader.take("and"));
  reader.expect_end();
}

}  // namespace

std::unique_ptr<Verb> read_valued(const SourceLine& line, const Rig& rig, const PatternValues& values,
                                  std::span<const Stretch> stretches, const VerbWord& read) {
  // These name controls for what they are.
  if (read.word == "wait" || read.word == "print" || read.word == "ready") return nullptr;
  const std::vector<Valuer> known = valuers(rig);
  if (known.empty()) return nullptr;
  const std::size_t end = tail_of(line, known);
  std::vector<Valuer> hands;
  for (std::size_t i = 2; i < end; ++i) {
    std::string_view word = line.words[i].text;
    if (word.starts_with('-')) word.remove_prefix(1);
    if (values.contains(word)) continue;
    for (const Valuer& hand : known)
      if (hand.name == word &&
          std::none_of(hands.begin(), hands.end(), [&](const Valuer& each) { return each.name == word; }))
        hands.push_back(hand);
  }
  if (hands.empty() && end == line.words.size()) return nullptr;
  if (end < line.words.size()) {
    SourceLine tail = line;
    tail.words.erase(tail.words.begin(), tail.words.begin() + static_cast<std::ptrdiff_t>(end + 1));
    LineReader reader(tail, rig, values, stretches);
    read_tail(reader, hands);
  }
  return std::make_unique<Valued>(Sentence(line, end, rig, values, stretches, read), std::move(hands));
}

}  // namespace cogstride
