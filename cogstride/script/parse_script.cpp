// From the lines of a script to its statements. A line is read by its verb; blocks and patterns are read
// by recursion, so that the values of a step stand for themselves wherever they are named in it.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <map>

#include "cogstride/quantity/text.hpp"
#include "cogstride/script/script.hpp"
#include "cogstride/script/statement_reader.hpp"

namespace cogstride {
namespace {

using Kind = Statement::Kind;

constexpr std::size_t deepest_nesting = 8;
constexpr std::int64_t most_spelled_out = 1'000'000;
constexpr std::int64_t most_lines = 200'000;

std::string_view of_bounded_length(std::string_view text, const std::string& name) {
  if (std::count(text.begin(), text.end(), '\n') > most_lines)
    throw InputError({{{name, static_cast<std::size_t>(most_lines), 1},
                       fmt::format("a script has at most {} lines: 'repeat' and 'pattern' say "
                                   "it shorter",
                                   most_lines),
                       {}}});
  return text;
}

bool opens_block(std::string_view verb) {
  return verb == "repeat" || verb == "arrive" || verb == "start" || verb == "in" || verb == "with";
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

bool is_together(Kind kind) {
  return kind == Kind::arrive_together || kind == Kind::start_together;
}

class ScriptParser {
 public:
  ScriptParser(std::string_view text, std::string name, const Rig& rig, std::span<const VerbWord> verbs)
      : rig_(rig), verbs_(verbs), lines_(split_lines(of_bounded_length(text, name))) {
    script_.name = std::move(name);
  }

  Script parse(const KnownPositions& known) {
    script_.statements = read_block(nullptr);
    if (wrong_.empty()) wrong_ = check_motions(script_, rig_, known).wrong;
    if (!wrong_.empty()) throw InputError(std::move(wrong_));
    return std::move(script_);
  }

 private:
  // ---- blocks

  /// The statements up to the `end` of `opener`, or of the file.
  std::vector<Statement> read_block(const Statement* opener) {
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
                      opener->kind == Kind::repeat ? "repeat" : "'" + opener->text + "'"),
          {});
    }
    return statements;
  }

  /// Of a block that may stand here; else its lines are passed over.
  void read_body(Statement& block) {
    if (depth_ >= deepest_nesting) {
      pass_over();
      return;
    }
    ++depth_;
    block.body = read_block(&block);
    --depth_;
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

  void read_statement(const SourceLine& line, const Statement* opener, std::vector<Statement>& into) {
    Statement statement;
    statement.place = {script_.name, line.number, line.words.front().column};
    statement.text = statement_text(line);
    LineReader reader(line, rig_, values_);
    const std::string_view verb = line.words.front().text;
    if (verb == "pattern") {
      read_definition(line, opener);
      return;
    }
    const bool opens = opens_block(verb);
    bool is_sound = false;
    guarded(line, [&] {
      if (opener != nullptr) require_fits(line, *opener);
      if (opens && depth_ >= deepest_nesting) {
        throw LineReader::wrong(line.words.front(),
                                fmt::format("blocks stand in each other more than {} deep", deepest_nesting));
      }
      read_by_verb_or_call(reader, statement);
      reader.expect_end();
      is_sound = true;
    });
    if (opens) {
      // Read even when its first line is wrong, so that its 'end' is not an error of its own.
      const std::size_t stretches = stretches_.size();
      if (statement.kind == Kind::with_limits && is_sound)
        stretches_.push_back({statement.mechanism, statement.order.speed, statement.order.acceleration});
      read_body(statement);
      stretches_.resize(stretches);
      if (is_sound) guarded(line, [&] { check_block(statement); });
    }
    if (is_sound) into.push_back(std::move(statement));
  }

  /// What may not stand in an `arrive together`.
  static void require_fits(const SourceLine& line, const Statement& opener) {
    const std::string_view verb = line.words.front().text;
    if (opener.kind == Kind::arrive_together && verb != "move" && verb != "turn")
      throw LineReader::wrong(line.words.front(),
                              "only moves stand in 'arrive together'; close it with 'end' first");
  }

  void check_block(const Statement& block) {
    if (!is_together(block.kind)) return;
    if (block.body.empty() && wrong_.empty())
      add(block.place.line, block.place.column, fmt::format("nothing moves in this '{}'", block.text), {});
    std::vector<std::pair<std::size_t, const Statement*>> used;
    for (const Statement& branch : block.body) {
      if (block.kind == Kind::arrive_together && branch.order.in)
        add(branch.place.line, branch.place.column,
            "moves that arrive together take the time of the longest: leave 'in' out",
            fmt::format("    {}\n    {}", branch.text, std::string(branch.text.size(), '^')));
      if (block.kind == Kind::arrive_together && rig_.mechanisms[branch.mechanism].is_driven_by_duty())
        add(branch.place.line, branch.place.column,
            fmt::format(
                "{} moves by its encoder: how long it takes is not known ahead, so nothing can arrive "
                "together with it; 'start together' begins at one instant",
                rig_.mechanisms[branch.mechanism].name),
            fmt::format("    {}\n    {}", branch.text, std::string(branch.text.size(), '^')));
      std::vector<std::size_t> own;
      mechanisms_in(branch, own);
      for (const std::size_t mechanism : own) {
        const auto before =
            std::find_if(used.begin(), used.end(), [&](const auto& u) { return u.first == mechanism; });
        if (before == used.end()) continue;
        const std::string name =
            mechanism == Statement::everything ? "everything" : rig_.mechanisms[mechanism].name;
        add(branch.place.line, branch.place.column,
            fmt::format("{} moves already in this '{}' (line {})", name, block.text,
                        before->second->place.line),
            fmt::format("    {}\n    {}", branch.text, std::string(branch.text.size(), '^')));
        break;
      }
      for (const std::size_t mechanism : own) used.emplace_back(mechanism, &branch);
    }
  }

  void mechanisms_in(const Statement& statement, std::vector<std::size_t>& found) const {
    const auto add = [&](std::size_t mechanism) {
      if (std::find(found.begin(), found.end(), mechanism) == found.end()) found.push_back(mechanism);
    };
    const bool moves = statement.kind != Kind::with_limits &&
                       (statement.mechanism != Statement::everything || statement.kind == Kind::stop);
    if (statement.pair != Statement::everything) {
      for (std::size_t i = 0; i < rig_.mechanisms.size(); ++i) {
        const WheeledPair& pair = rig_.pairs[statement.pair];
        if (rig_.mechanisms[i].name == pair.left || rig_.mechanisms[i].name == pair.right) add(i);
      }
    } else if (moves) {
      add(statement.mechanism);
    }
    for (const Statement& inner : statement.inside()) mechanisms_in(inner, found);
  }

  // ---- patterns

  void read_definition(const SourceLine& line, const Statement* opener) {
    Pattern pattern;
    Statement as_block;
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
                           (void)parse_any_quantity(text);
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
    const std::vector<std::string> verbs = statement_verbs(verbs_);
    if (!is_own_name(word.text))
      throw LineReader::wrong(word,
                              fmt::format("'{}' is no name: small letters, digits and '_' are", word.text));
    if (std::find(verbs.begin(), verbs.end(), word.text) != verbs.end() || word.text == "end" ||
        word.text == "pattern")
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

  void read_call(LineReader& reader, Statement& statement, const std::string& name) {
    statement.kind = Kind::pattern;
    Pattern& pattern = *find_pattern(name);
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
    statement.called = made_with(pattern, values, statement);
    if (spelled_out(statement) > most_spelled_out) {
      throw reader.wrong_statement(
          fmt::format("spelled out, these patterns are more than {} statements", most_spelled_out));
    }
  }

  /// Statements that it comes to with all patterns spelled out (repeats count once).
  std::int64_t spelled_out(const Statement& statement) {
    const auto known = sizes_.find(statement.called.get());
    if (statement.called && known != sizes_.end()) return known->second;
    std::int64_t size = 1;
    for (const Statement& inner : statement.inside()) size += spelled_out(inner);
    if (statement.called) sizes_.emplace(statement.called.get(), size);
    return size;
  }

  static void require_same_kind(const Word& name, const std::string& wanted, const std::string& found) {
    const auto is_count = [](const std::string& text) {
      return text.find_first_not_of("0123456789") == std::string::npos;
    };
    const bool same = is_count(wanted) ? is_count(found)
                                       : !is_count(found) && parse_any_quantity(wanted).powers ==
                                                                 parse_any_quantity(found).powers;
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
    Statement as_block;
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

  void read_by_verb_or_call(LineReader& reader, Statement& statement) {
    const Word& verb = reader.word("a verb");
    if (read_by_verb(verb.text, verbs_, reader, stretches_, statement)) return;
    if (find_pattern(verb.text) != nullptr) {
      read_call(reader, statement, std::string(verb.text));
      return;
    }
    std::vector<std::string> words = statement_verbs(verbs_);
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
  return ScriptParser(text, name, rig, verbs).parse(known);
}

Script read_script(const std::string& path, const Rig& rig, const KnownPositions& known,
                   std::span<const VerbWord> verbs) {
  return parse_script(read_text_file(path), path, rig, known, verbs);
}

}  // namespace cogstride
