// From the lines of a script to its statements. A line is read by its verb; blocks and named steps are read
// by recursion, so that the values of a step stand for themselves wherever they are named in it.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <map>

#include "cogstride/motion/homing_goal.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/script.hpp"

namespace cogstride {
namespace {

using Kind = Statement::Kind;

constexpr std::int64_t most_repeats = 1'000'000'000;
constexpr std::size_t deepest_nesting = 8;
constexpr std::int64_t most_spelled_out = 1'000'000;

/// Limits of a mechanism for a stretch of the script.
struct Stretch {
  std::size_t mechanism;
  std::optional<OutputSpeed> speed;
  std::optional<OutputAcceleration> acceleration;
};

/// `to lay width 80 mm pitch 1.4 mm` ... `end`: its lines, and what its values are unless a call says
/// otherwise.
struct NamedSteps {
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
  ScriptParser(std::string_view text, std::string name, const Rig& rig)
      : rig_(rig), lines_(split_lines(text)) {
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
    if (verb == "to") {
      read_definition(line, opener);
      return;
    }
    const bool opens =
        verb == "repeat" || verb == "arrive" || verb == "start" || verb == "in" || verb == "with";
    bool is_sound = false;
    guarded(line, [&] {
      if (opener != nullptr) require_fits(line, *opener);
      if (opens && depth_ >= deepest_nesting) {
        throw LineReader::wrong(line.words.front(),
                                fmt::format("blocks stand in each other more than {} deep", deepest_nesting));
      }
      read_by_verb(reader, statement);
      reader.expect_end();
      is_sound = true;
    });
    if (opens) {
      // Read even when its first line is wrong, so that its 'end' is not an error of its own.
      const std::size_t stretches = stretches_.size();
      if (statement.kind == Kind::with_limits && is_sound)
        stretches_.push_back({statement.mechanism, statement.order.speed, statement.order.acceleration});
      ++depth_;
      statement.body = read_block(&statement);
      --depth_;
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
      if (block.kind == Kind::arrive_together && branch.order.takes)
        add(branch.place.line, branch.place.column,
            "moves that arrive together take the time of the longest: leave 'in' out",
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

  static void mechanisms_in(const Statement& statement, std::vector<std::size_t>& found) {
    const bool moves = statement.kind <= Kind::release || statement.kind == Kind::measure ||
                       statement.kind == Kind::jog || statement.kind == Kind::teach;
    if (moves && std::find(found.begin(), found.end(), statement.mechanism) == found.end())
      found.push_back(statement.mechanism);
    for (const Statement& inner : statement.inside()) mechanisms_in(inner, found);
  }

  // ---- named steps

  void read_definition(const SourceLine& line, const Statement* opener) {
    NamedSteps steps;
    Statement as_block;
    as_block.place = {script_.name, line.number, line.words.front().column};
    as_block.text = statement_text(line);
    bool is_sound = false;
    guarded(line, [&] {
      if (opener != nullptr || in_definition_)
        throw LineReader::wrong(line.words.front(),
                                "steps are named at the outermost level, outside any block");
      read_definition_line(line, steps);
      is_sound = true;
    });
    steps.first_line = next_;
    // Read once with its own values, so that steps that nobody calls are checked too.
    const StepValues outer = std::exchange(values_, StepValues(steps.values.begin(), steps.values.end()));
    const bool was_in = std::exchange(in_definition_, true);
    auto body = std::make_shared<const std::vector<Statement>>(read_block(&as_block));
    in_definition_ = was_in;
    values_ = outer;
    steps.end_line = next_;
    if (!is_sound) return;
    steps.made.emplace(key_of(StepValues(steps.values.begin(), steps.values.end())), std::move(body));
    steps_.push_back(std::move(steps));
  }

  void read_definition_line(const SourceLine& line, NamedSteps& steps) {
    LineReader reader(line, rig_, values_);
    reader.expect("to");
    const Word& name = reader.word("a name for the steps, as in 'to lay width 80 mm'");
    steps.name = own_name(name);
    if (find_steps(name.text) != nullptr)
      throw LineReader::wrong(name, fmt::format("steps called {} are there already", name.text));
    while (!reader.at_end()) {
      const Word& value = reader.word("the name of a value");
      const std::string value_name = own_name(value);
      for (const auto& [other, text] : steps.values)
        if (other == value_name) throw LineReader::wrong(value, fmt::format("{} is named twice", value_name));
      steps.values.emplace_back(value_name, read_value(reader, value_name));
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
    const std::vector<std::string>& verbs = all_verbs();
    if (!is_own_name(word.text))
      throw LineReader::wrong(word,
                              fmt::format("'{}' is no name: small letters, digits and '_' are", word.text));
    if (std::find(verbs.begin(), verbs.end(), word.text) != verbs.end() || word.text == "end" ||
        word.text == "to")
      throw LineReader::wrong(word, fmt::format("'{}' is a word of the stride language", word.text));
    bool is_unit = true;
    try {
      (void)parse_any_quantity("1 " + std::string(word.text));
    } catch (const Error&) {
      is_unit = false;
    }
    if (is_unit) throw LineReader::wrong(word, fmt::format("'{}' is a unit", word.text));
    return std::string(word.text);
  }

  NamedSteps* find_steps(std::string_view name) {
    const auto found =
        std::find_if(steps_.begin(), steps_.end(), [&](const NamedSteps& s) { return s.name == name; });
    return found == steps_.end() ? nullptr : &*found;
  }

  static std::string key_of(const StepValues& values) {
    std::string key;
    for (const auto& [name, text] : values) key += name + "=" + text + ";";
    return key;
  }

  /// A stretch holds in the steps that are called in it too.
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
    statement.kind = Kind::steps;
    NamedSteps& steps = *find_steps(name);
    StepValues values(steps.values.begin(), steps.values.end());
    StepValues given;
    while (!reader.at_end()) {
      const Word& value = reader.word("the name of a value");
      const auto known = values.find(value.text);
      if (known == values.end()) {
        std::vector<std::string> names;
        for (const auto& [known_name, text] : steps.values) names.push_back(known_name);
        throw LineReader::wrong(
            value, fmt::format("'{}' is no value of {}; it has: {}", value.text, steps.name,
                               names.empty() ? "none" : fmt::format("{}", fmt::join(names, ", "))));
      }
      if (given.contains(known->first))
        throw LineReader::wrong(value, fmt::format("{} is given twice", value.text));
      const std::string before = known->second;
      known->second = read_value(reader, known->first);
      given.emplace(known->first, known->second);
      require_same_kind(value, before, known->second);
    }
    statement.called = made_with(steps, values, statement);
    if (spelled_out(statement) > most_spelled_out) {
      throw reader.wrong_statement(
          fmt::format("spelled out, these steps are more than {} statements", most_spelled_out));
    }
  }

  /// Statements that it comes to with all steps spelled out (repeats count once).
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

  std::shared_ptr<const std::vector<Statement>> made_with(NamedSteps& steps, const StepValues& values,
                                                          const Statement& call) {
    const std::string key = key_of(values) + stretches_key();
    if (const auto made = steps.made.find(key); made != steps.made.end()) return made->second;
    if (calls_ >= deepest_nesting) {
      throw Wrong{call.place.column, call.text.size(),
                  fmt::format("steps stand in each other more than {} deep", deepest_nesting)};
    }
    // The body once more, with these values. What is wrong only with them is wrong at the call.
    Statement as_block;
    as_block.text = call.text;
    const std::size_t here = std::exchange(next_, steps.first_line);
    const StepValues outer = std::exchange(values_, values);
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
    steps.made.emplace(key, body);
    return body;
  }

  // ---- statements

  using Read = void (ScriptParser::*)(LineReader&, Statement&);
  struct Verb {
    const char* word;
    Read read;
  };

  static const std::vector<Verb>& verbs() {
    static const std::vector<Verb> table{
        {"home", &ScriptParser::read_home},       {"move", &ScriptParser::read_move},
        {"turn", &ScriptParser::read_turn},       {"spin", &ScriptParser::read_spin},
        {"faster", &ScriptParser::read_faster},   {"slower", &ScriptParser::read_slower},
        {"reverse", &ScriptParser::read_reverse}, {"stop", &ScriptParser::read_stop},
        {"hold", &ScriptParser::read_hold},       {"release", &ScriptParser::read_release},
        {"wait", &ScriptParser::read_wait},       {"switch", &ScriptParser::read_switch},
        {"fade", &ScriptParser::read_fade},       {"ready", &ScriptParser::read_ready},
        {"measure", &ScriptParser::read_measure}, {"jog", &ScriptParser::read_jog},
        {"teach", &ScriptParser::read_teach},     {"repeat", &ScriptParser::read_repeat},
        {"arrive", &ScriptParser::read_arrive},   {"start", &ScriptParser::read_start},
        {"in", &ScriptParser::read_in_order},     {"with", &ScriptParser::read_with}};
    return table;
  }

  static const std::vector<std::string>& all_verbs() {
    static const std::vector<std::string> words = [] {
      std::vector<std::string> found;
      for (const Verb& verb : verbs()) found.emplace_back(verb.word);
      return found;
    }();
    return words;
  }

  void read_by_verb(LineReader& reader, Statement& statement) {
    const Word& verb = reader.word("a verb");
    for (const Verb& known : verbs()) {
      if (verb.text != known.word) continue;
      (this->*known.read)(reader, statement);
      return;
    }
    if (find_steps(verb.text) != nullptr) {
      read_call(reader, statement, std::string(verb.text));
      return;
    }
    std::vector<std::string> words = all_verbs();
    words.emplace_back("end");
    for (const NamedSteps& steps : steps_) words.push_back(steps.name);
    const std::string near = nearest_word(std::string(verb.text), words);
    throw LineReader::wrong(verb, fmt::format("'{}' is not a verb of the stride language{}", verb.text,
                                              near.empty() ? fmt::format(" ({})", fmt::join(words, ", "))
                                                           : fmt::format("; did you mean {}?", near)));
  }

  void read_home(LineReader& reader, Statement& statement) {
    statement.kind = Kind::home;
    statement.mechanism = reader.mechanism();
    const Mechanism& mechanism = mechanism_of(statement);
    if (!mechanism.homing) {
      throw reader.wrong_statement(
          fmt::format("{} has nothing to home with: its rig has no homing table", mechanism.name));
    }
  }

  void read_move(LineReader& reader, Statement& statement) {
    statement.kind = Kind::move;
    statement.mechanism = reader.mechanism();
    const Word& how = reader.word("'to' or 'by'");
    if (how.text == "to") {
      if (reader.take("station")) {
        statement.order.to = station(reader, statement);
      } else {
        statement.order.to = position(reader, statement, "a position such as 85 mm");
      }
    } else if (how.text == "by") {
      statement.order.by = position(reader, statement, "a way such as -5 mm");
    } else {
      throw LineReader::wrong(
          how, fmt::format("found '{}'; expected 'to' (a position) or 'by' (a way)", how.text));
    }
    read_limits(reader, statement);
    read_takes(reader, statement);
  }

  void read_turn(LineReader& reader, Statement& statement) {
    statement.kind = Kind::move;
    const Word name = reader.peek();
    statement.mechanism = reader.mechanism();
    if (output_kind(mechanism_of(statement).train) != OutputKind::rotary) {
      throw LineReader::wrong(name, fmt::format("{} travels along a line: it moves, and does not turn",
                                                mechanism_of(statement).name));
    }
    reader.expect("to");
    TurnOrder turn;
    if (reader.take("station")) {
      turn.to = station(reader, statement);
    } else {
      turn.to = position(reader, statement, "an angle such as 225 deg");
    }
    if (const std::optional<Way> way = read_way(reader)) turn.way = *way;
    statement.order = move_of(mechanism_of(statement), turn);
    read_limits(reader, statement);
    read_takes(reader, statement);
  }

  static std::optional<Way> read_way(LineReader& reader) {
    if (reader.take("clockwise")) return Way::clockwise;
    if (reader.take("counter-clockwise")) return Way::counter_clockwise;
    if (!reader.take("the")) return std::nullopt;
    reader.expect("short");
    reader.expect("way");
    return Way::shortest;
  }

  void read_spin(LineReader& reader, Statement& statement) {
    statement.kind = Kind::spin;
    const Word name = reader.peek();
    statement.mechanism = reader.mechanism();
    const Mechanism& mechanism = mechanism_of(statement);
    if (output_kind(mechanism.train) != OutputKind::rotary)
      throw LineReader::wrong(name, fmt::format("{} travels along a line: it does not spin", mechanism.name));
    reader.expect("at");
    statement.spin.at = speed(reader, statement, "a speed such as 40 deg/s", true);
    if (const std::optional<Way> way = read_way(reader)) {
      const bool forwards =
          (*way == Way::clockwise) == (mechanism.limits.forwards == TurningSense::clockwise);
      const bool backwards_already = statement.spin.at.base < Ratio(0);
      if (*way == Way::shortest || backwards_already)
        throw reader.wrong_statement("a speed with a sign says which way; with a word it has none");
      if (!forwards) statement.spin.at.base = -statement.spin.at.base;
    }
    if (reader.take("and")) statement.spin.acceleration = acceleration(reader, statement);
    if (reader.take("for")) {
      reader.amount("a time such as 10 s or a way such as 3 turns", [&](const std::string& text) {
        if (parse_any_quantity(text).powers == powers_of<dimensions::Time>) {
          statement.spin.lasts = parse_quantity<ExactTime>(text);
        } else {
          statement.spin.by = parse_output<0>(text);
        }
        (void)move_of(mechanism, rig_.controller, statement.spin);
        return 0;
      });
    } else {
      reader.expect("until");
      reader.expect("stopped");
    }
  }

  void read_change_of_speed(LineReader& reader, Statement& statement, bool slower) {
    statement.kind = Kind::faster;
    statement.mechanism = reader.mechanism();
    reader.expect("by");
    statement.change = speed(reader, statement, "a speed such as 5 deg/s", false);
    if (statement.change.base <= Ratio(0))
      throw reader.wrong_statement("a speed above 0; faster and slower say which way");
    if (slower) statement.change.base = -statement.change.base;
  }
  void read_faster(LineReader& reader, Statement& statement) {
    read_change_of_speed(reader, statement, false);
  }
  void read_slower(LineReader& reader, Statement& statement) {
    read_change_of_speed(reader, statement, true);
  }

  void read_one(LineReader& reader, Statement& statement, Kind kind) {
    statement.kind = kind;
    statement.mechanism = reader.mechanism();
  }
  void read_reverse(LineReader& reader, Statement& statement) { read_one(reader, statement, Kind::reverse); }
  void read_hold(LineReader& reader, Statement& statement) { read_one(reader, statement, Kind::hold); }
  void read_release(LineReader& reader, Statement& statement) { read_one(reader, statement, Kind::release); }
  void read_stop(LineReader& reader, Statement& statement) {
    statement.kind = Kind::stop;
    if (!reader.at_end()) statement.mechanism = reader.mechanism();
  }

  void read_wait(LineReader& reader, Statement& statement) {
    if (!reader.take("until")) {
      statement.pause = reader.time("a time such as 0.5 s");
      return;
    }
    const Word name = reader.peek();
    const auto moving = std::find_if(rig_.mechanisms.begin(), rig_.mechanisms.end(),
                                     [&](const Mechanism& m) { return m.name == name.text; });
    if (moving != rig_.mechanisms.end()) {
      statement.kind = Kind::wait_place;
      statement.mechanism = reader.mechanism();
      reader.expect("passes");
      statement.passes = position(reader, statement, "a position such as 60 mm");
    } else {
      statement.kind = Kind::wait_line;
      statement.awaits = reader.input();
      reader.expect("is");
      statement.awaits.acts = on_or_off(reader);
    }
    if (!reader.take("for")) return;
    reader.expect("at");
    reader.expect("most");
    statement.longest = reader.time("a time such as 10 s");
  }

  static bool on_or_off(LineReader& reader) {
    const Word& word = reader.word("'on' or 'off'");
    if (word.text != "on" && word.text != "off")
      throw LineReader::wrong(word, fmt::format("found '{}'; expected 'on' or 'off'", word.text));
    return word.text == "on";
  }

  void read_switch(LineReader& reader, Statement& statement) {
    statement.kind = Kind::switch_output;
    statement.output = reader.output();
    statement.on = on_or_off(reader);
  }

  void read_fade(LineReader& reader, Statement& statement) {
    statement.kind = Kind::fade_output;
    statement.output = reader.output();
    const PlainOutput& output = rig_.outputs[statement.output];
    if (!output.timer || !output.pwm_frequency) {
      throw reader.wrong_statement(fmt::format(
          "{} is only switched; to fade it, give it a timer and a pwm_frequency in the rig", output.name));
    }
    reader.expect("to");
    statement.share = reader.amount("a share such as 30 %", [](const std::string& text) {
      const auto share = parse_quantity<ExactFraction>(text);
      if (share < ExactFraction() || ExactFraction::from_base(Ratio(1)) < share)
        throw RangeError(fmt::format("'{}' is no share of full duty; 0 % to 100 % are", text));
      return share.base().to_double();
    });
    if (reader.take("in")) statement.pause = reader.time("a time such as 2 s");
  }

  void read_ready(LineReader& reader, Statement& statement) {
    statement.kind = Kind::ready;
    statement.longest = ExactTime(60, Unit<dimensions::Time>{1});
    if (reader.take("within")) statement.longest = reader.time("a time such as 10 s");
  }

  void read_measure(LineReader& reader, Statement& statement) {
    read_one(reader, statement, Kind::measure);
    try {
      (void)far_switch_goal(mechanism_of(statement), rig_.controller);
    } catch (const RangeError& error) {
      throw reader.wrong_statement(error.what());
    }
  }

  void read_jog(LineReader& reader, Statement& statement) {
    read_one(reader, statement, Kind::jog);
    reader.expect("with");
    statement.keys.push_back(reader.input());
    reader.expect("and");
    statement.keys.push_back(reader.input());
    statement.spin.at = mechanism_of(statement).homing ? mechanism_of(statement).homing->speed
                                                       : mechanism_of(statement).limits.speed;
    if (reader.take("at")) statement.spin.at = speed(reader, statement, "a speed such as 5 mm/s", true);
    if (reader.take("past")) {
      reader.expect("limits");
      statement.on = true;
      if (!mechanism_of(statement).hard_ends)
        throw reader.wrong_statement(
            fmt::format("{} has no hard_ends in its rig: nobody knows how far it may go past its limits",
                        mechanism_of(statement).name));
    }
    reader.expect("until");
    statement.awaits = reader.input();
    reader.expect("is");
    statement.awaits.acts = on_or_off(reader);
  }

  void read_teach(LineReader& reader, Statement& statement) {
    read_one(reader, statement, Kind::teach);
    reader.expect("far");
    reader.expect("limit");
    if (!mechanism_of(statement).limits.travel_to)
      throw reader.wrong_statement(
          fmt::format("{} is endless: it has no far limit", mechanism_of(statement).name));
  }

  void read_repeat(LineReader& reader, Statement& statement) {
    statement.kind = Kind::repeat;
    if (reader.take("without")) {
      reader.expect("end");
      statement.count = 0;
      return;
    }
    statement.count = reader.count("a count such as 3", 1, most_repeats);
    reader.expect("times");
  }

  void read_arrive(LineReader& reader, Statement& statement) {
    statement.kind = Kind::arrive_together;
    reader.expect("together");
  }
  void read_start(LineReader& reader, Statement& statement) {
    statement.kind = Kind::start_together;
    reader.expect("together");
  }
  void read_in_order(LineReader& reader, Statement& statement) {
    statement.kind = Kind::in_order;
    reader.expect("order");
  }

  void read_with(LineReader& reader, Statement& statement) {
    statement.kind = Kind::with_limits;
    statement.mechanism = reader.mechanism();
    if (!reader.next_is("at")) reader.expect("at");
    read_limits(reader, statement);
  }

  // ---- parts of statements

  [[nodiscard]] const Mechanism& mechanism_of(const Statement& statement) const {
    return rig_.mechanisms[statement.mechanism];
  }

  OutputPosition position(LineReader& reader, const Statement& statement, const std::string& wanted) {
    return reader.amount(wanted, [&](const std::string& text) {
      const OutputPosition value = parse_output<0>(text);
      require_kind(mechanism_of(statement), value.kind);
      return value;
    });
  }

  OutputPosition station(LineReader& reader, const Statement& statement) {
    const Word number = reader.peek();
    const std::int64_t station = reader.count("a station such as 5", 0, most_repeats);
    try {
      return station_at(mechanism_of(statement), station);
    } catch (const RangeError& error) {
      throw LineReader::wrong(number, error.what());
    }
  }

  OutputSpeed speed(LineReader& reader, const Statement& statement, const std::string& wanted,
                    bool is_limit) {
    return reader.amount(wanted, [&](const std::string& text) {
      const OutputSpeed value = parse_output<1>(text);
      require_kind(mechanism_of(statement), value.kind);
      const OutputSpeed magnitude{value.kind, value.base < Ratio(0) ? -value.base : value.base};
      if (is_limit) (void)ramp_limits(mechanism_of(statement), rig_.controller, magnitude);
      return value;
    });
  }

  OutputAcceleration acceleration(LineReader& reader, const Statement& statement) {
    return reader.amount("an acceleration such as 40 deg/s2", [&](const std::string& text) {
      const OutputAcceleration value = parse_output<2>(text);
      (void)ramp_limits(mechanism_of(statement), rig_.controller, {}, value);
      return value;
    });
  }

  /// Limits that are said, else those of the stretch that it stands in.
  void read_limits(LineReader& reader, Statement& statement) {
    if (reader.take("at")) {
      read_limit(reader, mechanism_of(statement), statement.order);
      if (reader.take("and")) read_limit(reader, mechanism_of(statement), statement.order);
    }
    for (auto stretch = stretches_.rbegin(); stretch != stretches_.rend(); ++stretch) {
      if (stretch->mechanism != statement.mechanism) continue;
      if (!statement.order.speed) statement.order.speed = stretch->speed;
      if (!statement.order.acceleration) statement.order.acceleration = stretch->acceleration;
    }
  }

  void read_takes(LineReader& reader, Statement& statement) {
    if (!reader.take("in")) return;
    statement.order.takes = reader.amount("a time such as 3 s", [&](const std::string& text) {
      const auto time = parse_quantity<ExactTime>(text);
      if (!(time > ExactTime())) throw RangeError(fmt::format("'{}': a move takes a time above 0", text));
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

  // ---- what is wrong

  void add(std::size_t line, std::size_t column, std::string message, std::string excerpt) {
    const auto same = [&](const Diagnostic& d) { return d.place.line == line && d.place.column == column; };
    if (std::any_of(wrong_.begin(), wrong_.end(), same)) return;
    wrong_.push_back({{script_.name, line, column}, std::move(message), std::move(excerpt)});
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
  std::vector<SourceLine> lines_;
  std::size_t next_ = 0;  // line to be read
  Script script_;
  std::vector<NamedSteps> steps_;
  StepValues values_;
  std::vector<Stretch> stretches_;
  std::size_t depth_ = 0;
  std::size_t calls_ = 0;  // of steps, one in the other
  std::map<const void*, std::int64_t> sizes_;
  bool in_definition_ = false;
  std::vector<Diagnostic> wrong_;
};

}  // namespace

Script parse_script(std::string_view text, const std::string& name, const Rig& rig,
                    const KnownPositions& known) {
  return ScriptParser(text, name, rig).parse(known);
}

Script read_script(const std::string& path, const Rig& rig, const KnownPositions& known) {
  return parse_script(read_text_file(path), path, rig, known);
}

}  // namespace cogstride
