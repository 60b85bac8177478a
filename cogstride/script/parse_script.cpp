// From the lines of a script to its statements. A line is read by its verb; blocks and patterns are read
// by recursion, so that the values of a step stand for themselves wherever they are named in it.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <map>

#include "cogstride/quantity/text.hpp"
#include "cogstride/script/foreseen.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/script.hpp"
#include "cogstride/script/valued.hpp"
#include "cogstride/script/verbs/verb.hpp"

namespace cogstride {
namespace {

constexpr std::size_t deepest_nesting = 8;
constexpr std::int64_t most_spelled_out = 1'000'000;
constexpr std::int64_t most_script_lines = 200'000;

std::string_view of_bounded_length(std::string_view text, const std::string& name) {
  if (std::count(text.begin(), text.end(), '\n') > most_script_lines)
    throw InputError({{{name, static_cast<std::size_t>(most_script_lines), 1},
                       fmt::format("a script has at most {} lines: 'repeat' and 'pattern' say "
                                   "it shorter",
                                   most_script_lines),
                       {}}});
  return text;
}

/// `pattern lay width 80 mm pitch 1.4 mm` ... `end`: its lines, and what its values are unless a call says
/// otherwise.
struct Pattern {
  std::string name;
  std::vector<std::pair<std::string, std::string>> values;  // in the order of the definition
  std::size_t first_line = 0;                               // of the body, among the script's lines
  std::size_t end_line = 0;                                 // its `end`
  std::map<std::string, std::shared_ptr<const std::vector<Statement>>> made{};  // by the values of a call
};

/// A pattern that is called: its statements are carried out in its place.
class Called final : public Verb {
 public:
  explicit Called(std::shared_ptr<const std::vector<Statement>> statements)
      : statements_(std::move(statements)) {}
  void foresee(const Statement&, Walk& walk) const override { walk.go_through(*statements_); }
  [[nodiscard]] std::span<const Statement> inside() const override { return *statements_; }
  [[nodiscard]] std::optional<std::int64_t> passes() const override { return 1; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage&) const override { return nullptr; }

 private:
  std::shared_ptr<const std::vector<Statement>> statements_;
};

/// What a block's statements stand in, until its `end`.
struct Opener {
  std::string text{};
  SourcePlace place{};
  const Block* block = nullptr;  ///< null: a pattern, or a block whose first line is wrong
  const Opener* around = nullptr;
};

class ScriptParser {
 public:
  ScriptParser(std::string_view text, std::string name, const Rig& rig, std::span<const VerbWord> verbs,
               std::span<const Stretch> stretches = {})
      : rig_(rig),
        verbs_(verbs),
        lines_(split_lines(of_bounded_length(text, name))),
        stretches_(stretches.begin(), stretches.end()) {
    script_.name = std::move(name);
  }

  /// @param known  what is known before, and then what will be
  Script parse(Foreseen& known) {
    script_.statements = read_block(nullptr);
    if (wrong_.empty() && script_.statements.empty())
      add(1, 1,
          "nothing is asked in it: a script says what is to be done, such as 'home traverse' or 'wait 1 s'",
          {});
    if (wrong_.empty()) wrong_ = check_motions(script_, rig_, known).wrong;
    if (!wrong_.empty()) throw InputError(std::move(wrong_));
    return std::move(script_);
  }

 private:
  // ---- blocks

  /// The statements up to the `end` of `opener`, or of the file.
  std::vector<Statement> read_block(const Opener* opener) {
    std::vector<Statement> statements;
    while (next_ < lines_.size()) {
      const SourceLine& line = lines_[next_++];
      if (line.words.front().text == "end") {
        if (opener != nullptr) {
          guarded(line, [&] { expect_nothing_after_end(line); });
          return statements;
        }
        guarded(line, [&] {
          throw LineReader::wrong(line.words.front(),
                                  "this 'end' ends nothing: no repeat is open and no other block");
        });
        continue;
      }
      read_statement(line, opener, statements);
    }
    if (opener != nullptr) {
      add(opener->place.line, opener->place.column,
          fmt::format("this {} has no 'end'",
                      opener->text.starts_with("repeat ") ? "repeat" : "'" + opener->text + "'"),
          {});
    }
    return statements;
  }

  /// Of a block that may stand here; else its lines are passed over.
  std::vector<Statement> read_body(const Opener& opener) {
    if (depth_ >= deepest_nesting) {
      pass_over();
      return {};
    }
    ++depth_;
    std::vector<Statement> body = read_block(&opener);
    --depth_;
    return body;
  }

  /// To behind the `end` of a block that is open.
  void pass_over() {
    for (std::size_t open = 1; open > 0 && next_ < lines_.size(); ++next_) {
      const std::string_view verb = lines_[next_].words.front().text;
      if (verb == "end") --open;
      if (verb == "pattern" || opens_block(verb)) ++open;
    }
  }

  void expect_nothing_after_end(const SourceLine& line) {
    LineReader reader(line, rig_, values_);
    reader.expect("end");
    reader.expect_end();
  }

  [[nodiscard]] const VerbWord* verb_word(std::string_view word) const {
    for (const std::span<const VerbWord> words : {verb_words(), verbs_})
      for (const VerbWord& known : words)
        if (known.word == word) return &known;
    return nullptr;
  }
  [[nodiscard]] bool opens_block(std::string_view word) const {
    const VerbWord* const known = verb_word(word);
    return known != nullptr && known->read_block != nullptr;
  }

  void read_statement(const SourceLine& line, const Opener* opener, std::vector<Statement>& into) {
    Statement statement;
    statement.place = {script_.name, line.number, line.words.front().column};
    statement.text = statement_text(line);
    const Word& verb = line.words.front();
    if (verb.text == "pattern") {
      read_definition(line, opener);
      return;
    }
    if (opens_block(verb.text)) {
      read_block_statement(line, opener, std::move(statement), into);
      return;
    }
    guarded(line, [&] {
      LineReader reader(line, rig_, values_, stretches_);
      const VerbWord* const known = verb_word(verb.text);
      if (known != nullptr) statement.verb = read_valued(line, rig_, values_, stretches_, *known);
      const bool is_valued = statement.verb != nullptr;
      if (!is_valued) statement.verb = read_by_verb_or_call(reader, statement);
      require_fits(opener, verb, statement);
      if (!is_valued) reader.expect_end();
      into.push_back(std::move(statement));
    });
  }

  void read_block_statement(const SourceLine& line, const Opener* opener, Statement statement,
                            std::vector<Statement>& into) {
    std::unique_ptr<Block> block;
    guarded(line, [&] {
      const Word& verb = line.words.front();
      if (depth_ >= deepest_nesting) {
        throw LineReader::wrong(verb,
                                fmt::format("blocks stand in each other more than {} deep", deepest_nesting));
      }
      LineReader reader(line, rig_, values_, stretches_);
      std::unique_ptr<Block> read = verb_word(reader.word("a verb").text)->read_block(reader);
      reader.expect_end();
      block = std::move(read);
    });
    // Read even when its first line is wrong, so that its 'end' is not an error of its own.
    const std::size_t stretches = stretches_.size();
    if (block && block->stretch() != nullptr) stretches_.push_back(*block->stretch());
    std::vector<Statement> body = read_body({statement.text, statement.place, block.get(), opener});
    stretches_.resize(stretches);
    if (!block) return;
    block->take_in(std::move(body));
    const std::shared_ptr<const Block> whole = std::move(block);
    statement.verb = whole;
    if (whole->inside().empty() && !whole->may_be_empty() && wrong_.empty())
      add(statement.place.line, statement.place.column,
          fmt::format("nothing moves in this '{}'", statement.text), {});
    for (const Block::Complaint& each : whole->complaints(statement, rig_))
      add(each.about->place.line, each.about->place.column, each.message,
          fmt::format("    {}\n    {}", each.about->text, std::string(each.about->text.size(), '^')));
    guarded(line, [&] {
      require_fits(opener, line.words.front(), statement);
      into.push_back(std::move(statement));
    });
  }

  /// @throws Wrong unless a statement may stand in what it stands in
  static void require_fits(const Opener* opener, const Word& verb, const Statement& statement) {
    const bool is_in_a_wrong_one = opener != nullptr && opener->block == nullptr;
    const Block* const block = opener == nullptr ? nullptr : opener->block;
    std::string why = block == nullptr ? std::string() : block->refuses(statement);
    if (why.empty() && !is_in_a_wrong_one) why = statement.verb->refuses_to_stand_in(block);
    if (why.empty() && statement.verb->leaves_repeat() && !is_inside_a_repeat(opener))
      why = "'leave' goes on behind the repeat that it stands in, and it stands in none";
    if (!why.empty()) throw LineReader::wrong(verb, why);
  }

  static bool is_inside_a_repeat(const Opener* opener) {
    for (; opener != nullptr && opener->block != nullptr; opener = opener->around) {
      if (opener->block->repeats()) return true;
      if (!opener->block->goes_on_in_its_row()) return false;
    }
    return false;
  }

  // ---- patterns

  void read_definition(const SourceLine& line, const Opener* opener) {
    Pattern pattern;
    Opener as_block;
    as_block.place = {script_.name, line.number, line.words.front().column};
    as_block.text = statement_text(line);
    if (opener != nullptr || in_definition_) {
      guarded(line, [&] {
        throw LineReader::wrong(line.words.front(),
                                "a pattern stands at the outermost level, outside any block");
      });
      pass_over();
      return;
    }
    bool is_sound = false;
    guarded(line, [&] {
      read_definition_line(line, pattern);
      is_sound = true;
    });
    pattern.first_line = next_;
    // Read once with its own values, so that one that nobody calls is checked too.
    const PatternValues outer =
        std::exchange(values_, PatternValues(pattern.values.begin(), pattern.values.end()));
    const bool was_in = std::exchange(in_definition_, true);
    auto body = std::make_shared<const std::vector<Statement>>(read_block(&as_block));
    in_definition_ = was_in;
    values_ = outer;
    pattern.end_line = next_;
    if (!is_sound) return;
    pattern.made.emplace(key_of(PatternValues(pattern.values.begin(), pattern.values.end())),
                         std::move(body));
    patterns_.push_back(std::move(pattern));
  }

  void read_definition_line(const SourceLine& line, Pattern& pattern) {
    LineReader reader(line, rig_, values_);
    reader.expect("pattern");
    const Word& name = reader.word("a name, as in 'pattern lay width 80 mm'");
    pattern.name = own_name(name);
    if (find_pattern(name.text) != nullptr)
      throw LineReader::wrong(name, fmt::format("a pattern {} is there already", name.text));
    while (!reader.at_end()) {
      const Word& value = reader.word("the name of a value");
      const std::string value_name = own_name(value);
      for (const auto& [other, text] : pattern.values)
        if (other == value_name) throw LineReader::wrong(value, fmt::format("{} is named twice", value_name));
      pattern.values.emplace_back(value_name, read_value(reader, value_name));
    }
  }

  /// Of an amount that may be a fraction.
  static DimensionPowers powers_of_amount(const std::string& text) {
    return parse_any_quantity(LineReader::fractional(text).amount).powers;
  }

  /// An amount with its unit, or a count: told apart by what follows.
  std::string read_value(LineReader& reader, const std::string& name) {
    return reader.amount(fmt::format("a value for {}, such as 80 mm or 3", name),
                         [&](const std::string& text) {
                           if (text.find_first_not_of("0123456789") == std::string::npos) return text;
                           const std::size_t blank = text.find(' ');
                           // "3 pitch": a count, and the name of the next value.
                           if (blank != std::string::npos && text.find_first_not_of("0123456789") == blank &&
                               is_value_word(text.substr(blank + 1))) {
                             reader.put_back();
                             return text.substr(0, blank);
                           }
                           (void)powers_of_amount(text);
                           return text;
                         });
  }

  [[nodiscard]] bool is_value_word(const std::string& word) const {
    try {
      (void)parse_any_quantity("1 " + word);
      return false;
    } catch (const Error&) {
      return is_own_name(word);
    }
  }

  static bool is_own_name(std::string_view name) {
    const auto is_letter = [](char c) { return (c >= 'a' && c <= 'z') || c == '_'; };
    return !name.empty() && is_letter(name.front()) && std::all_of(name.begin(), name.end(), [&](char c) {
      return is_letter(c) || (c >= '0' && c <= '9');
    });
  }

  std::string own_name(const Word& word) const {
    if (!is_own_name(word.text))
      throw LineReader::wrong(word,
                              fmt::format("'{}' is no name: small letters, digits and '_' are", word.text));
    if (verb_word(word.text) != nullptr || word.text == "end" || word.text == "pattern")
      throw LineReader::wrong(word, fmt::format("'{}' is a word of the script language", word.text));
    bool is_unit = true;
    try {
      (void)parse_any_quantity("1 " + std::string(word.text));
    } catch (const Error&) {
      is_unit = false;
    }
    if (is_unit) throw LineReader::wrong(word, fmt::format("'{}' is a unit", word.text));
    return std::string(word.text);
  }

  Pattern* find_pattern(std::string_view name) {
    const auto found =
        std::find_if(patterns_.begin(), patterns_.end(), [&](const Pattern& s) { return s.name == name; });
    return found == patterns_.end() ? nullptr : &*found;
  }

  static std::string key_of(const PatternValues& values) {
    std::string key;
    for (const auto& [name, text] : values) key += name + "=" + text + ";";
    return key;
  }

  /// A stretch holds in the patterns that are called in it too.
  [[nodiscard]] std::string stretches_key() const {
    std::string key;
    for (const Stretch& stretch : stretches_) {
      key += fmt::format("|{}", stretch.mechanism);
      if (stretch.speed) key += " " + to_text(*stretch.speed);
      if (stretch.acceleration) key += " " + to_text(*stretch.acceleration);
    }
    return key;
  }

  std::unique_ptr<Verb> read_call(LineReader& reader, const Statement& call, Pattern& pattern) {
    PatternValues values(pattern.values.begin(), pattern.values.end());
    PatternValues given;
    while (!reader.at_end()) {
      const Word& value = reader.word("the name of a value");
      const auto known = values.find(value.text);
      if (known == values.end()) {
        std::vector<std::string> names;
        for (const auto& [known_name, text] : pattern.values) names.push_back(known_name);
        throw LineReader::wrong(
            value, fmt::format("'{}' is no value of {}; it has: {}", value.text, pattern.name,
                               names.empty() ? "none" : fmt::format("{}", fmt::join(names, ", "))));
      }
      if (given.contains(known->first))
        throw LineReader::wrong(value, fmt::format("{} is given twice", value.text));
      const std::string before = known->second;
      known->second = read_value(reader, known->first);
      given.emplace(known->first, known->second);
      require_same_kind(value, before, known->second);
    }
    auto called = std::make_unique<Called>(made_with(pattern, values, call));
    if (spelled_out(*called) > most_spelled_out)
      throw reader.wrong_statement(
          fmt::format("spelled out, these patterns are more than {} statements", most_spelled_out));
    return called;
  }

  /// Statements that it comes to with all patterns spelled out (repeats count once).
  std::int64_t spelled_out(const Verb& verb) {
    const std::span<const Statement> inside = verb.inside();
    if (inside.empty()) return 1;
    const auto known = sizes_.find(inside.data());
    if (known != sizes_.end()) return known->second;
    std::int64_t size = 1;
    for (const Statement& inner : inside) size += spelled_out(*inner.verb);
    sizes_.emplace(inside.data(), size);
    return size;
  }

  static void require_same_kind(const Word& name, const std::string& wanted, const std::string& found) {
    const auto is_count = [](const std::string& text) {
      return text.find_first_not_of("0123456789") == std::string::npos;
    };
    const bool same = is_count(wanted)
                          ? is_count(found)
                          : !is_count(found) && powers_of_amount(wanted) == powers_of_amount(found);
    if (!same)
      throw LineReader::wrong(name,
                              fmt::format("{} is something like {}, and not {}", name.text, wanted, found));
  }

  std::shared_ptr<const std::vector<Statement>> made_with(Pattern& pattern, const PatternValues& values,
                                                          const Statement& call) {
    const std::string key = key_of(values) + stretches_key();
    if (const auto made = pattern.made.find(key); made != pattern.made.end()) return made->second;
    if (calls_ >= deepest_nesting) {
      throw Wrong{call.place.column, call.text.size(),
                  fmt::format("patterns stand in each other more than {} deep", deepest_nesting)};
    }
    // The body once more, with these values. What is wrong only with them is wrong at the call.
    Opener as_block;
    as_block.text = call.text;
    const std::size_t here = std::exchange(next_, pattern.first_line);
    const PatternValues outer = std::exchange(values_, values);
    const std::size_t depth = std::exchange(depth_, 0);
    const std::size_t wrong_before = wrong_.size();
    ++calls_;
    auto body = std::make_shared<const std::vector<Statement>>(read_block(&as_block));
    --calls_;
    next_ = here;
    values_ = outer;
    depth_ = depth;
    for (std::size_t i = wrong_before; i < wrong_.size(); ++i)
      wrong_[i].message += fmt::format(" (as called in line {})", call.place.line);
    pattern.made.emplace(key, body);
    return body;
  }

  // ---- statements

  std::unique_ptr<Verb> read_by_verb_or_call(LineReader& reader, const Statement& statement) {
    const Word& verb = reader.word("a verb");
    if (const VerbWord* const known = verb_word(verb.text)) return known->read(reader);
    if (Pattern* const pattern = find_pattern(verb.text)) return read_call(reader, statement, *pattern);
    std::vector<std::string> words;
    for (const std::span<const VerbWord> known : {verb_words(), verbs_})
      for (const VerbWord& each : known) words.emplace_back(each.word);
    words.emplace_back("end");
    for (const Pattern& pattern : patterns_) words.push_back(pattern.name);
    const std::string near = nearest_word(std::string(verb.text), words);
    throw LineReader::wrong(verb, fmt::format("'{}' is not a verb of the script language{}", verb.text,
                                              near.empty() ? fmt::format(" ({})", fmt::join(words, ", "))
                                                           : fmt::format("; did you mean {}?", near)));
  }

  // ---- what is wrong

  void add(std::size_t line, std::size_t column, std::string message, std::string excerpt) {
    const auto same = [&](const Diagnostic& d) { return d.place.line == line && d.place.column == column; };
    if (std::any_of(wrong_.begin(), wrong_.end(), same)) return;
    add_or_end(wrong_, {{script_.name, line, column}, std::move(message), std::move(excerpt)});
  }

  template <class Reading>
  void guarded(const SourceLine& line, Reading read) {
    try {
      read();
    } catch (const Wrong& wrong) {
      add(line.number, wrong.column, wrong.message, underlined(line, wrong));
    }
  }

  const Rig& rig_;
  std::span<const VerbWord> verbs_;  // of the program's own
  std::vector<SourceLine> lines_;
  std::size_t next_ = 0;  // line to be read
  Script script_;
  std::vector<Pattern> patterns_;
  PatternValues values_;
  std::vector<Stretch> stretches_;
  std::size_t depth_ = 0;
  std::size_t calls_ = 0;  // of patterns, one in the other
  std::map<const void*, std::int64_t> sizes_;
  bool in_definition_ = false;
  std::vector<Diagnostic> wrong_;
};

}  // namespace

Script parse_script(std::string_view text, const std::string& name, const Rig& rig,
                    const KnownPositions& known, std::span<const VerbWord> verbs) {
  Foreseen at_begin = known_at_begin(rig, known);
  return ScriptParser(text, name, rig, verbs).parse(at_begin);
}

Script parse_orders(std::string_view text, const std::string& name, const Rig& rig, Foreseen& known,
                    std::span<const VerbWord> verbs, std::span<const Stretch> stretches) {
  Foreseen then = known;
  Script script = ScriptParser(text, name, rig, verbs, stretches).parse(then);
  known = std::move(then);
  return script;
}

Script read_script(const std::string& path, const Rig& rig, const KnownPositions& known,
                   std::span<const VerbWord> verbs) {
  return parse_script(read_text_file(path), path, rig, known, verbs);
}

}  // namespace cogstride
