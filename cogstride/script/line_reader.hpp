// Reads one line's words from left to right, against the rig and the values of the step it stands in.
#pragma once

#include <initializer_list>
#include <map>
#include <optional>
#include <span>
#include <string>

#include "cogstride/lines/events.hpp"
#include "cogstride/rig/rig.hpp"
#include "cogstride/script/source_line.hpp"

namespace cogstride {

/// The values of a pattern, by name: "80 mm", as written.
using PatternValues = std::map<std::string, std::string, std::less<>>;

/// Limits of a mechanism for a stretch of the script.
struct Stretch {
  std::size_t mechanism;  ///< its place in the rig
  std::optional<OutputSpeed> speed;
  std::optional<OutputAcceleration> acceleration;
};

/// A line of the rig that a script waits for.
struct AwaitedLine {
  std::string name{};  ///< "pedal", "main", "traverse.far"
  LineId line{};
  bool acts = true;
};

class LineReader {
 public:
  /// @param stretches  whose limits hold where the line names none, the innermost last
  LineReader(const SourceLine& line, const Rig& rig, const PatternValues& values,
             std::span<const Stretch> stretches = {})
      : line_(line), rig_(rig), values_(values), stretches_(stretches) {}

  [[nodiscard]] const Rig& rig() const { return rig_; }
  [[nodiscard]] std::span<const Stretch> stretches() const { return stretches_; }
  [[nodiscard]] bool at_end() const { return next_ == line_.words.size(); }
  [[nodiscard]] bool next_is(std::string_view word) const {
    return !at_end() && line_.words[next_].text == word;
  }
  /// Takes the next word when it is this one.
  bool take(std::string_view word) {
    const bool is_it = next_is(word);
    if (is_it) ++next_;
    return is_it;
  }

  /// Whether an amount in % comes next.
  [[nodiscard]] bool comes_a_share() const {
    LineReader ahead = *this;
    return !at_end() && ahead.amount_text({}).text.ends_with('%');
  }
  /// The next word, or one of nothing at the end of the line.
  [[nodiscard]] Word peek() const { return at_end() ? Word{{}, end_column()} : line_.words[next_]; }
  /// Gives the word that was taken last back.
  void put_back() { --next_; }
  const Word& word(const std::string& wanted);
  void expect(const std::string& wanted);
  void expect_end() const;

  /// How a mechanism is moved.
  enum class Moved { by_steps, by_duty, swings, throttled, six_step, on_bus };
  /// A mechanism that is moved in one of these ways; its place in the rig.
  std::size_t mechanism(std::initializer_list<Moved> ways = {Moved::by_steps});
  /// A wheeled pair; its place in the rig.
  std::size_t pair();
  [[nodiscard]] bool comes_a_pair() const;
  /// A shaft that nothing of ours drives; its place in the rig.
  std::size_t shaft();
  [[nodiscard]] bool comes_a_shaft() const;
  std::size_t output();
  /// An input line by name, and whether it should act.
  AwaitedLine input();
  /// A number and its unit, in one word or two, or the name of a value; read by `parse`.
  template <class Parse>
  auto amount(const std::string& wanted, Parse parse) {
    const AmountText found = amount_text(wanted);
    try {
      return parse(found.text);
    } catch (const Error& error) {
      throw Wrong{found.column, found.length, error.what()};
    }
  }
  /// "28/75 turn" is 28 turns, by 75.
  struct Fractional {
    std::string amount;
    std::int64_t below = 1;
  };
  [[nodiscard]] static Fractional fractional(const std::string& text);
  /// The same of an amount that may be a fraction: "28/75 turn". @param parse  of an amount without one
  template <class Parse>
  auto fraction(const std::string& wanted, Parse parse) {
    return amount(wanted, [&](const std::string& text) {
      const Fractional found = fractional(text);
      auto value = parse(found.amount);
      value.base = value.base / Ratio(found.below);
      return value;
    });
  }
  /// A way along a line or round, of whatever kind.
  OutputPosition exact_way(const std::string& wanted) {
    return fraction(wanted, [](const std::string& text) { return parse_output<0>(text); });
  }
  /// A whole number, or the name of a value that is one.
  std::int64_t count(const std::string& wanted, std::int64_t least, std::int64_t most);
  ExactTime time(const std::string& wanted);
  bool on_or_off();
  /// A place or a way of a mechanism's output.
  OutputPosition position(const Mechanism& mechanism, const std::string& wanted);

  [[nodiscard]] static Wrong wrong(const Word& word, std::string message) {
    return {word.column, word.text.size(), std::move(message)};
  }
  /// All of the statement.
  [[nodiscard]] Wrong wrong_statement(std::string message) const;

 private:
  struct AmountText {
    std::string text;
    std::size_t column;
    std::size_t length;
  };
  AmountText amount_text(const std::string& wanted);
  /// What a word stands for: itself, or the value that it names.
  [[nodiscard]] const std::string* value_of(std::string_view name) const;
  [[nodiscard]] std::size_t end_column() const;

  const SourceLine& line_;
  const Rig& rig_;
  const PatternValues& values_;
  std::span<const Stretch> stretches_;
  std::size_t next_ = 0;
};

}  // namespace cogstride
