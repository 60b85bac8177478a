#include <fmt/format.h>

#include <charconv>

#include "cogstride/quantity/text.hpp"
#include "cogstride/script/script.hpp"

namespace cogstride {
namespace {

constexpr std::int64_t most_repeats = 1'000'000'000;
constexpr std::size_t deepest_nesting = 8;

struct Word {
  std::string text;
  std::size_t column;  // from 1
};

struct SourceLine {
  std::size_t number;
  std::string_view text;    // as it stands in the file
  std::vector<Word> words;  // without the comment
};

/// What is wrong at one word; caught line by line, so that every error comes out in one go.
struct Wrong {
  std::size_t column;
  std::size_t length;
  std::string message;
};

SourceLine split_words(std::size_t number, std::string_view text) {
  SourceLine line{number, text, {}};
  std::size_t at = 0;
  while (at < text.size() && text[at] != '#') {
    if (text[at] == ' ' || text[at] == '\t' || text[at] == '\r') {
      ++at;
      continue;
    }
    const std::size_t start = at;
    while (at < text.size() && text[at] != ' ' && text[at] != '\t' && text[at] != '\r' && text[at] != '#')
      ++at;
    line.words.push_back({std::string(text.substr(start, at - start)), start + 1});
  }
  return line;
}

/// The statement itself, without blanks around it or its comment.
std::string statement_text(const SourceLine& line) {
  const Word& first = line.words.front();
  const Word& last = line.words.back();
  return std::string(line.text.substr(first.column - 1, last.column + last.text.size() - first.column));
}

/// Reads one line's words from left to right.
class LineReader {
 public:
  LineReader(const SourceLine& line, const Rig& rig) : line_(line), rig_(rig) {}

  [[nodiscard]] bool at_end() const { return next_ == line_.words.size(); }
  [[nodiscard]] bool next_is(std::string_view word) const {
    return !at_end() && line_.words[next_].text == word;
  }

  const Word& word(const std::string& wanted) {
    if (at_end()) throw Wrong{end_column(), 1, fmt::format("the line ends here; expected {}", wanted)};
    return line_.words[next_++];
  }

  void expect(const std::string& wanted) {
    const Word& found = word("'" + wanted + "'");
    if (found.text != wanted)
      throw wrong(found, fmt::format("found '{}'; expected '{}'", found.text, wanted));
  }

  void expect_end() {
    if (at_end()) return;
    const Word& extra = line_.words[next_];
    throw Wrong{extra.column, end_column() - extra.column,
                fmt::format("'{}' is more than this statement takes", extra.text)};
  }

  std::size_t mechanism() {
    const Word& name = word("the name of a mechanism");
    try {
      const Mechanism& mechanism = mechanism_named(rig_, name.text);
      require_movable_stepper(mechanism);
      return static_cast<std::size_t>(&mechanism - rig_.mechanisms.data());
    } catch (const RangeError& error) {
      throw wrong(name, error.what());
    }
  }

  /// A number and its unit, in one word or two, read by `parse`.
  template <class Parse>
  auto amount(const std::string& wanted, Parse parse) {
    const Word& number = word(wanted);
    std::string text = number.text;
    std::size_t length = text.size();
    const bool ends_with_digit = text.back() >= '0' && text.back() <= '9';
    if (ends_with_digit && !at_end()) {
      const Word& unit = line_.words[next_++];
      text += " " + unit.text;
      length = unit.column + unit.text.size() - number.column;
    }
    try {
      return parse(text);
    } catch (const Error& error) {
      throw Wrong{number.column, length, error.what()};
    }
  }

  static Wrong wrong(const Word& word, std::string message) {
    return {word.column, word.text.size(), std::move(message)};
  }

 private:
  [[nodiscard]] std::size_t end_column() const {
    return line_.words.empty() ? 1 : line_.words.back().column + line_.words.back().text.size();
  }

  const SourceLine& line_;
  const Rig& rig_;
  std::size_t next_ = 0;
};

const std::vector<std::string> verbs = {"home", "move", "wait", "repeat", "arrive", "end"};

class ScriptParser {
 public:
  ScriptParser(std::string name, const Rig& rig) : rig_(rig) { script_.name = std::move(name); }

  Script parse(std::string_view text) {
    std::size_t number = 0;
    while (!text.empty()) {
      const std::size_t end = text.find('\n');
      take_line(split_words(++number, text.substr(0, end)));
      text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
    }
    for (std::size_t i = open_.size(); i-- > 0;) {
      add(open_[i].place.line, open_[i].place.column,
          fmt::format("this {} has no 'end'", is_together(open_[i]) ? "'arrive together'" : "repeat"), {});
    }
    if (wrong_.empty()) wrong_ = check_positions(script_, rig_);
    if (!wrong_.empty()) throw InputError(std::move(wrong_));
    return std::move(script_);
  }

 private:
  void add(std::size_t line, std::size_t column, std::string message, std::string excerpt) {
    wrong_.push_back({{script_.name, line, column}, std::move(message), std::move(excerpt)});
  }

  void take_line(const SourceLine& line) {
    if (line.words.empty()) return;
    try {
      LineReader reader(line, rig_);
      take_statement(line, reader);
    } catch (const Wrong& wrong) {
      std::string underlined = fmt::format("    {}\n    ", line.text);
      for (std::size_t i = 0; i + 1 < wrong.column; ++i)
        underlined += i < line.text.size() && line.text[i] == '\t' ? '\t' : ' ';
      underlined += std::string(std::max<std::size_t>(1, wrong.length), '^');
      add(line.number, wrong.column, wrong.message, std::move(underlined));
    }
  }

  void take_statement(const SourceLine& line, LineReader& reader) {
    Statement statement;
    statement.place = {script_.name, line.number, line.words.front().column};
    statement.text = statement_text(line);
    const Word& verb = reader.word("a verb");
    if (verb.text == "end") {
      reader.expect_end();
      close_block(verb);
      return;
    }
    if (verb.text == "arrive") {
      statement.kind = Statement::Kind::arrive_together;
      open_.push_back(std::move(statement));
      reader.expect("together");
      reader.expect_end();
      require_no_together(open_.size() - 1, verb);
      return;
    }
    if (verb.text == "repeat") {
      // Opened even when its count is wrong, so that its 'end' is not an error of its own.
      statement.kind = Statement::Kind::repeat;
      statement.count = 1;
      open_.push_back(std::move(statement));
      if (open_.size() > deepest_nesting) {
        throw LineReader::wrong(
            verb, fmt::format("repeats stand in each other more than {} deep", deepest_nesting));
      }
      open_.back().count = repeat_count(reader);
      require_no_together(open_.size() - 1, verb);
      return;
    }
    if (verb.text != "move") require_no_together(open_.size(), verb);
    if (verb.text == "home") {
      statement.kind = Statement::Kind::home;
      read_home(reader, statement);
    } else if (verb.text == "move") {
      statement.kind = Statement::Kind::move;
      read_move(reader, statement);
    } else if (verb.text == "wait") {
      statement.kind = Statement::Kind::wait;
      read_wait(reader, statement);
    } else {
      const std::string near = nearest_word(verb.text, verbs);
      throw LineReader::wrong(verb,
                              fmt::format("'{}' is not a verb of the stride language{}", verb.text,
                                          near.empty() ? " (home, move, wait, repeat, arrive together, end)"
                                                       : fmt::format("; did you mean {}?", near)));
    }
    reader.expect_end();
    if (!open_.empty() && is_together(open_.back())) require_new_mechanism(statement);
    body().push_back(std::move(statement));
  }

  void read_home(LineReader& reader, Statement& statement) {
    statement.mechanism = reader.mechanism();
    const Mechanism& mechanism = rig_.mechanisms[statement.mechanism];
    if (mechanism.homing && !mechanism.home_switch()->is_window) return;
    if (mechanism.homing) {
      throw Wrong{statement.place.column, statement.text.size(),
                  fmt::format("{} homes to a window ({}), which is not done yet: only to a switch at an end",
                              mechanism.name, mechanism.homing->sensor)};
    }
    throw Wrong{statement.place.column, statement.text.size(),
                fmt::format("{} has nothing to home with: its rig has no homing table", mechanism.name)};
  }

  void read_move(LineReader& reader, Statement& statement) {
    statement.mechanism = reader.mechanism();
    const Mechanism& mechanism = rig_.mechanisms[statement.mechanism];
    const auto position = [&](const std::string& text) {
      const OutputPosition value = parse_output<0>(text);
      require_kind(mechanism, value.kind);
      return value;
    };
    const Word& how = reader.word("'to' or 'by'");
    if (how.text == "to") {
      statement.order.to = reader.amount("a position such as 85 mm", position);
    } else if (how.text == "by") {
      statement.order.by = reader.amount("a way such as -5 mm", position);
    } else {
      throw LineReader::wrong(
          how, fmt::format("found '{}'; expected 'to' (a position) or 'by' (a way)", how.text));
    }
    if (reader.next_is("at")) {
      reader.expect("at");
      read_limit(reader, mechanism, statement.order);
      if (reader.next_is("and")) {
        reader.expect("and");
        read_limit(reader, mechanism, statement.order);
      }
    }
    if (!reader.next_is("in")) return;
    reader.expect("in");
    statement.order.takes = reader.amount("a time such as 3 s", [&](const std::string& text) {
      const auto time = parse_quantity<ExactTime>(text);
      if (!(time > ExactTime())) throw RangeError(fmt::format("'{}': a move takes a time above 0", text));
      if (!open_.empty() && is_together(open_.back()))
        throw RangeError("moves that arrive together take the time of the longest: leave 'in' out");
      return time;
    });
  }

  /// A speed or an acceleration, told apart by its unit, and checked against the mechanism.
  void read_limit(LineReader& reader, const Mechanism& mechanism, MoveOrder& order) {
    reader.amount(
        "a speed such as 40 mm/s or an acceleration such as 800 mm/s2", [&](const std::string& text) {
          const ParsedQuantity parsed = parse_any_quantity(text);
          const bool is_acceleration = parsed.powers == powers_of<OutputAcceleration::LinearDimension> ||
                                       parsed.powers == powers_of<OutputAcceleration::RotaryDimension>;
          if (is_acceleration ? order.acceleration.has_value() : order.speed.has_value()) {
            throw RangeError(is_acceleration ? "the acceleration is given twice"
                                             : "the speed is given twice");
          }
          if (is_acceleration) {
            order.acceleration = parse_output<2>(text);
          } else {
            order.speed = parse_output<1>(text);
          }
          (void)ramp_limits(mechanism, rig_.controller, order.speed, order.acceleration);
          return 0;
        });
  }

  void read_wait(LineReader& reader, Statement& statement) {
    statement.pause = reader.amount("a time such as 0.5 s", [](const std::string& text) {
      const auto time = parse_quantity<ExactTime>(text);
      if (time < ExactTime())
        throw RangeError(fmt::format("'{}' lies in the past: a wait is not below 0", text));
      if (time > ExactTime(366, Unit<dimensions::Time>{86'400}))
        throw RangeError(fmt::format("'{}' is more than a year", text));
      return time;
    });
  }

  std::int64_t repeat_count(LineReader& reader) {
    const Word& number = reader.word("a count such as 3");
    std::int64_t count = 0;
    const char* const end = number.text.data() + number.text.size();
    const auto [stop, status] = std::from_chars(number.text.data(), end, count);
    if (status != std::errc() || stop != end || count < 1 || count > most_repeats) {
      throw LineReader::wrong(
          number, fmt::format("found '{}'; expected a count from 1 to {}", number.text, most_repeats));
    }
    reader.expect("times");
    reader.expect_end();
    return count;
  }

  static bool is_together(const Statement& block) { return block.kind == Statement::Kind::arrive_together; }

  /// Inside `arrive together` stand moves only.
  void require_no_together(std::size_t depth, const Word& verb) const {
    if (depth == 0 || !is_together(open_[depth - 1])) return;
    throw LineReader::wrong(verb, "only moves stand in 'arrive together'; close it with 'end' first");
  }

  void require_new_mechanism(const Statement& move) const {
    for (const Statement& other : open_.back().body) {
      if (other.mechanism != move.mechanism) continue;
      throw Wrong{move.place.column, move.text.size(),
                  fmt::format("{} moves already in this 'arrive together' (line {})",
                              rig_.mechanisms[move.mechanism].name, other.place.line)};
    }
  }

  void close_block(const Word& end) {
    if (open_.empty())
      throw LineReader::wrong(end, "this 'end' ends nothing: no repeat is open and no 'arrive together'");
    Statement block = std::move(open_.back());
    open_.pop_back();
    if (is_together(block) && block.body.empty() && wrong_.empty())
      add(block.place.line, block.place.column, "nothing moves in this 'arrive together'", {});
    body().push_back(std::move(block));
  }

  std::vector<Statement>& body() { return open_.empty() ? script_.statements : open_.back().body; }

  const Rig& rig_;
  Script script_;
  std::vector<Statement> open_;
  std::vector<Diagnostic> wrong_;
};

}  // namespace

Script parse_script(std::string_view text, const std::string& name, const Rig& rig) {
  return ScriptParser(name, rig).parse(text);
}

Script read_script(const std::string& path, const Rig& rig) {
  return parse_script(read_text_file(path), path, rig);
}

}  // namespace cogstride
