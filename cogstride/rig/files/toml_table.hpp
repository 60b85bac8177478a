// A TOML table being read: each key is asked for once, with what it must be; what is wrong is collected, and
// reading goes on with a stand-in, so that all errors come out in one go. Keys that nobody asked for are
// errors.
//
// Includes toml++, which takes seconds to compile: only read_rig.cpp, change_rig.cpp and parts_mark.cpp do.
#pragma once

#include <fmt/format.h>
#include <fmt/ranges.h>

#define TOML_HEADER_ONLY 1
// toml++ asserts some things that wrong input can bring about, and then reports them properly: in a debug
// build it would abort on such a file, and built by clang for release it would assume that there is none.
#define TOML_ASSERT(expr) static_cast<void>(0)
#pragma push_macro("NDEBUG")
#undef NDEBUG

#include <toml++/toml.h>

#pragma pop_macro("NDEBUG")

#include <algorithm>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "cogstride/mechanism/output.hpp"
#include "cogstride/quantity/believable.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/diagnostic.hpp"
#include "cogstride/rig/keys/key_text.hpp"

namespace cogstride {

/// One file being read: what is wrong in it, and where everything stands.
class TomlFile {
 public:
  explicit TomlFile(std::string name) : name_(std::move(name)) {}

  void add(const toml::source_region& where, std::string message, std::size_t column_offset = 0) {
    add({{name_, where.begin.line, where.begin.column + column_offset}, std::move(message), {}});
  }
  void add(Diagnostic diagnostic) { add_or_end(diagnostics_, std::move(diagnostic)); }
  /// Notes where a key's value stands.
  void note_place(const std::string& path, const toml::source_region& where) {
    places_[path] = {name_, where.begin.line, where.begin.column};
  }
  /// Steps a metre or turn of the mechanism that is being read: what its amounts in steps are. 0: it takes
  /// none.
  void count_steps(Ratio steps_per_base) { steps_per_base_ = steps_per_base; }
  [[nodiscard]] Ratio steps_per_base() const { return steps_per_base_; }
  [[nodiscard]] const std::string& name() const { return name_; }
  [[nodiscard]] bool any() const { return !diagnostics_.empty(); }
  [[nodiscard]] const std::map<std::string, SourcePlace>& places() const { return places_; }
  [[nodiscard]] std::map<std::string, SourcePlace> take_places() { return std::move(places_); }
  void throw_if_any() {
    if (!diagnostics_.empty()) throw InputError(std::move(diagnostics_));
  }

 private:
  std::string name_;
  Ratio steps_per_base_{};
  std::vector<Diagnostic> diagnostics_;
  std::map<std::string, SourcePlace> places_;
};

class TomlTable {
 public:
  TomlTable(TomlFile& file, const toml::table& table, std::string path)
      : file_(&file), table_(&table), path_(std::move(path)) {}

  [[nodiscard]] const std::string& path() const { return path_; }
  [[nodiscard]] toml::source_region place() const { return table_->source(); }
  /// Where a key's value stands, or the table when there is none.
  [[nodiscard]] toml::source_region place_of(const std::string& key) const {
    const toml::node* node = table_->get(key);
    return node != nullptr ? node->source() : table_->source();
  }
  void error(const toml::source_region& where, const std::string& message, const char* code = "") const {
    file_->add({{file_->name(), where.begin.line, where.begin.column},
                path_.empty() ? message : path_ + ": " + message,
                {},
                code});
  }

  [[nodiscard]] bool has(const std::string& key) {
    note(key);
    return table_->contains(key);
  }

  /// A physical amount with its unit.
  template <class Q>
  [[nodiscard]] Q quantity(const std::string& key, Sign sign = Sign::positive) {
    return required<Q>(key, describe_dimension(powers_of<typename Q::DimensionType>),
                       [&](const toml::node& node) { return amount<Q>(node, key, sign); });
  }
  template <class Q>
  [[nodiscard]] std::optional<Q> optional_quantity(const std::string& key, Sign sign = Sign::positive) {
    return has(key) ? std::optional(quantity<Q>(key, sign)) : std::nullopt;
  }

  /// A position, speed or acceleration of an output of the given kind.
  template <int PerTime>
  [[nodiscard]] OutputAmount<PerTime> output(const std::string& key, OutputKind kind, Sign sign = Sign::any) {
    using Amount = OutputAmount<PerTime>;
    const toml::node* const node = table_->get(key);
    const auto written = node != nullptr ? node->value_exact<std::string>() : std::nullopt;
    if (written && is_in_steps(*written)) return in_steps<PerTime>(key, *written, kind, sign);
    if (kind == OutputKind::linear)
      return quantity<ExactQuantity<typename Amount::LinearDimension>>(key, sign);
    return quantity<ExactQuantity<typename Amount::RotaryDimension>>(key, sign);
  }

  /// Along a line or round, by its unit; round where it has none of an output.
  template <int PerTime>
  [[nodiscard]] OutputKind output_kind_of(const std::string& key) const {
    const toml::node* const node = table_->get(key);
    const auto written = node != nullptr ? node->value_exact<std::string>() : std::nullopt;
    if (!written) return OutputKind::rotary;
    try {
      return parse_output<PerTime>(*written).kind;
    } catch (const Error&) {  // it is read again, and refused
      return OutputKind::rotary;
    }
  }

  /// The amounts of its outputs that follow may be in steps.
  void count_steps(Ratio steps_per_base) { file_->count_steps(steps_per_base); }

  /// A count; `stand_in` for one that is wrong.
  [[nodiscard]] std::int64_t whole(const std::string& key, std::int64_t least, std::int64_t most,
                                   std::int64_t stand_in = 0) {
    const std::string wanted = fmt::format("a whole number from {} to {}", least, most);
    return required<std::int64_t>(
        key, wanted,
        [&](const toml::node& node) {
          const auto value = node.value_exact<std::int64_t>();
          if (value && *value >= least && *value <= most) return *value;
          found_instead(node, key, wanted);
          return stand_in;
        },
        stand_in);
  }

  /// A line of the controller: 7, "B1".
  [[nodiscard]] std::int64_t line(const std::string& key, std::int64_t stand_in) {
    return required<std::int64_t>(
        key, a_line_is,
        [&](const toml::node& node) {
          const std::optional<std::int64_t> line = read_line(node);
          if (!line) found_instead(node, key, a_line_is);
          return line.value_or(stand_in);
        },
        stand_in);
  }
  [[nodiscard]] std::vector<std::int64_t> line_list(const std::string& key) {
    return list<std::int64_t>(key, "a list of lines, each " + std::string(a_line_is),
                              [](const toml::node& item) { return read_line(item); });
  }

  [[nodiscard]] std::string text(const std::string& key, const std::string& wanted) {
    return required<std::string>(key, wanted, [&](const toml::node& node) {
      const auto value = node.value_exact<std::string>();
      if (value && !value->empty()) return *value;
      found_instead(node, key, wanted);
      return std::string();
    });
  }

  /// One of a few words.
  template <class Value>
  [[nodiscard]] Value choice(const std::string& key,
                             const std::vector<std::pair<std::string, Value>>& values) {
    std::vector<std::string> words;
    for (const auto& [word, value] : values) words.push_back(word);
    const std::string wanted = fmt::format("\"{}\"", fmt::join(words, "\" or \""));
    return required<Value>(key, wanted, [&](const toml::node& node) {
      const auto written = node.value_exact<std::string>();
      for (const auto& [word, value] : values) {
        if (written && *written == word) return value;
      }
      found_instead(node, key, wanted);
      return values.front().second;
    });
  }
  /// The part that the word of `kind` stands for; nothing (and an error) when it stands for none.
  template <class Part, class Kinds>
  [[nodiscard]] std::optional<Part> kind(const Kinds& kinds) {
    std::vector<std::string> words;
    for (const auto& each : kinds) words.emplace_back(each.word);
    const std::string wanted = fmt::format("\"{}\"", fmt::join(words, "\" or \""));
    return required<std::optional<Part>>("kind", wanted, [&](const toml::node& node) -> std::optional<Part> {
      const auto written = node.value_exact<std::string>();
      for (const auto& each : kinds)
        if (written && *written == each.word) return each.part;
      found_instead(node, "kind", wanted);
      return std::nullopt;
    });
  }
  /// Keys of tables in the table `key`, such as "motor.resistance", whose values are the same as in this one.
  [[nodiscard]] std::vector<std::string> same_as_here(const std::string& key) {
    std::vector<std::pair<std::uint32_t, std::string>> found;  // by the line where they stand
    std::vector<std::string> same;
    const std::optional<TomlTable> kept = optional_table(key);
    if (!kept) return same;
    for (auto&& [part, values] : *kept->table_) {
      const toml::node* const here = table_->get(part.str());
      if (here == nullptr || !here->is_table() || !values.is_table()) {
        kept->error(part.source(), fmt::format("{}: is no table of {}", std::string(part.str()), path_));
        continue;
      }
      for (auto&& [name, value] : *values.as_table()) {
        const toml::node* const now = here->as_table()->get(name.str());
        const bool is_same =
            now != nullptr &&
            ((value.is_string() && now->value<std::string>() == value.value<std::string>()) ||
             (value.is_number() && now->value<double>() == value.value<double>()));
        if (is_same)
          found.emplace_back(value.source().begin.line,
                             fmt::format("{}.{}", std::string(part.str()), std::string(name.str())));
      }
    }
    std::stable_sort(found.begin(), found.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    for (auto& [line, name] : found) same.push_back(std::move(name));
    return same;
  }
  /// Leaves a key unread without calling it unknown.
  void ignore(const std::string& key) { note(key); }

  template <class Value>
  [[nodiscard]] Value choice_or(const std::string& key,
                                const std::vector<std::pair<std::string, Value>>& values, Value otherwise) {
    return has(key) ? choice(key, values) : otherwise;
  }

  [[nodiscard]] bool truth(const std::string& key) {
    return required<bool>(key, "true or false", [&](const toml::node& node) {
      const auto value = node.value_exact<bool>();
      if (!value) found_instead(node, key, "true or false");
      return value.value_or(false);
    });
  }

  enum class Empty { is_wrong, is_fine };
  /// A list whose items `read` takes from the value of each, or gives nothing for a wrong one.
  template <class Item, class Read>
  [[nodiscard]] std::vector<Item> list(const std::string& key, const std::string& wanted, Read read,
                                       Empty empty = Empty::is_wrong) {
    return required<std::vector<Item>>(key, wanted, [&](const toml::node& node) {
      std::vector<Item> items;
      const toml::array* array = node.as_array();
      if (array == nullptr || (array->empty() && empty == Empty::is_wrong)) found_instead(node, key, wanted);
      if (array == nullptr) return items;
      for (const toml::node& item : *array) {
        if (const std::optional<Item> value = read(item)) {
          items.push_back(*value);
        } else {
          found_instead(item, key, wanted);
        }
      }
      return items;
    });
  }

  [[nodiscard]] std::vector<std::string> text_list(const std::string& key) {
    return list<std::string>(
        key, "a list of texts",
        [](const toml::node& item) {
          const auto value = item.value_exact<std::string>();
          return value && !value->empty() ? std::optional<std::string>(*value) : std::nullopt;
        },
        Empty::is_fine);
  }

  template <class Value>
  [[nodiscard]] std::vector<Value> choice_list(const std::string& key,
                                               const std::vector<std::pair<std::string, Value>>& values) {
    std::vector<std::string> words;
    for (const auto& [word, value] : values) words.push_back(word);
    return list<Value>(key, fmt::format("a list of \"{}\"", fmt::join(words, "\", \"")),
                       [&](const toml::node& item) -> std::optional<Value> {
                         const auto written = item.value_exact<std::string>();
                         for (const auto& [word, value] : values)
                           if (written && *written == word) return value;
                         return std::nullopt;
                       });
  }

  [[nodiscard]] std::vector<std::int64_t> whole_list(const std::string& key, std::int64_t least,
                                                     std::int64_t most) {
    const std::string wanted = fmt::format("a list of whole numbers from {} to {}", least, most);
    return list<std::int64_t>(key, wanted, [&](const toml::node& item) {
      const auto value = item.value_exact<std::int64_t>();
      return value && *value >= least && *value <= most ? value : std::nullopt;
    });
  }

  /// All keys of this table, for one whose keys are free.
  [[nodiscard]] std::vector<std::string> keys() const {
    std::vector<std::string> names;
    for (auto&& [key, node] : *table_) names.emplace_back(key.str());
    return names;
  }
  /// Whether a key holds a plain text, as "tied" where a table may stand too.
  [[nodiscard]] bool holds_text(const std::string& key) { return has(key) && table_->get(key)->is_string(); }
  /// The dimension of an amount, when it is one: tells millimetres from degrees where the train does not.
  [[nodiscard]] std::optional<DimensionPowers> dimension_of(const std::string& key) const {
    const toml::node* node = table_->get(key);
    const auto written = node != nullptr ? node->value_exact<std::string>() : std::nullopt;
    if (!written) return std::nullopt;
    try {
      return parse_any_quantity(*written).powers;
    } catch (const Error&) {
      return std::nullopt;
    }
  }

  /// A table inside this one; nothing (and an error) when it is missing or no table.
  [[nodiscard]] std::optional<TomlTable> table(const std::string& key) {
    return required<std::optional<TomlTable>>(key, "a table",
                                              [&](const toml::node& node) -> std::optional<TomlTable> {
                                                if (node.is_table())
                                                  return TomlTable(*file_, *node.as_table(), joined(key));
                                                found_instead(node, key, "a table");
                                                return std::nullopt;
                                              });
  }
  [[nodiscard]] std::optional<TomlTable> optional_table(const std::string& key) {
    return has(key) ? table(key) : std::nullopt;
  }

  /// The tables of a list, as in `train = [{...}, {...}]`.
  [[nodiscard]] std::vector<TomlTable> table_list(const std::string& key) {
    return required<std::vector<TomlTable>>(key, "a list of tables", [&](const toml::node& node) {
      std::vector<TomlTable> tables;
      const toml::array* array = node.as_array();
      if (array == nullptr) found_instead(node, key, "a list of tables");
      if (array == nullptr) return tables;
      for (const toml::node& item : *array) {
        if (item.is_table()) {
          tables.emplace_back(*file_, *item.as_table(),
                              fmt::format("{}[{}]", joined(key), tables.size() + 1));
        } else {
          found_instead(item, key, "a table");
        }
      }
      return tables;
    });
  }

  /// All tables of this one by name, in the order of the file: `[supply.main]`, `[supply.logic]`.
  [[nodiscard]] std::vector<std::pair<std::string, TomlTable>> named_tables() {
    std::vector<std::pair<std::string, TomlTable>> tables;
    for (auto&& [key, node] : *table_) {
      const std::string name(key.str());
      note(name);
      if (!is_plain_name(name))
        error(key.source(), fmt::format("the name '{}' cannot be had: {}", printable(name), plain_names));
      if (node.is_table()) {
        tables.emplace_back(name, TomlTable(*file_, *node.as_table(), joined(name)));
      } else {
        found_instead(node, name, "a table");
      }
    }
    std::stable_sort(tables.begin(), tables.end(), [](const auto& a, const auto& b) {
      return a.second.place().begin.line < b.second.place().begin.line;
    });
    return tables;
  }

  /// Ends the reading: keys that nobody asked for are errors.
  void finish() {
    for (auto&& [key, node] : *table_) {
      const std::string name(key.str());
      if (std::find(known_.begin(), known_.end(), name) != known_.end()) continue;
      const std::string near = nearest_word(name, known_);
      error(key.source(), fmt::format("key '{}' is not known here; {}", name,
                                      near.empty() ? fmt::format("known: {}", fmt::join(known_, ", "))
                                                   : fmt::format("did you mean {}?", near)));
    }
  }

 private:
  void note(const std::string& key) {
    if (std::find(known_.begin(), known_.end(), key) == known_.end()) known_.push_back(key);
  }
  [[nodiscard]] std::string joined(const std::string& key) const {
    return path_.empty() ? key : path_ + "." + key;
  }

  static std::string shown(const toml::node& node) {
    if (const auto text = node.value_exact<std::string>()) return fmt::format("\"{}\"", *text);
    if (const auto value = node.value_exact<std::int64_t>()) return fmt::format("{}", *value);
    if (const auto value = node.value_exact<double>()) return fmt::format("{}", *value);
    if (const auto value = node.value_exact<bool>()) return *value ? "true" : "false";
    return node.is_table() ? "a table" : node.is_array() ? "a list" : "a date or time";
  }
  void found_instead(const toml::node& node, const std::string& key, const std::string& wanted) const {
    error(node.source(), fmt::format("{}: found {}; expected {}", key, shown(node), wanted));
  }

  static constexpr const char* a_line_is = "a whole number from 0 to 1023, or a pin of a small chip: \"B1\"";
  static std::optional<std::int64_t> read_line(const toml::node& node) {
    if (const auto name = node.value_exact<std::string>()) {
      const std::optional<Pin> pin = read_pin(*name);
      return pin ? std::optional(line_of(*pin)) : std::nullopt;
    }
    const auto number = node.value_exact<std::int64_t>();
    return number && *number >= 0 && *number <= most_lines ? number : std::nullopt;
  }

  template <class Value, class Read>
  [[nodiscard]] Value required(const std::string& key, const std::string& wanted, Read read,
                               Value stand_in = Value{}) {
    note(key);
    const toml::node* node = table_->get(key);
    if (node != nullptr) {
      file_->note_place(joined(key), node->source());
      return read(*node);
    }
    error(table_->source(), fmt::format("{} is missing; expected {}", key, wanted));
    return stand_in;
  }

  template <int PerTime>
  [[nodiscard]] OutputAmount<PerTime> in_steps(const std::string& key, const std::string& written,
                                               OutputKind kind, Sign sign) {
    return required<OutputAmount<PerTime>>(key, "", [&](const toml::node& node) {
      OutputAmount<PerTime> value{kind, Ratio(0)};
      try {
        value = parse_output<PerTime>(written, kind, file_->steps_per_base());
        if ((sign == Sign::positive && !(Ratio(0) < value.base)) ||
            (sign == Sign::not_negative && value.base < Ratio(0)))
          error(node.source(), fmt::format("{}: found \"{}\"; expected {}", key, written,
                                           sign == Sign::positive ? "more than 0" : "not below 0"));
      } catch (const Error& wrong) {
        error(node.source(), fmt::format("{}: {}", key, wrong.what()));
      }
      return value;
    });
  }

  template <class Q>
  [[nodiscard]] Q amount(const toml::node& node, const std::string& key, Sign sign) const {
    const auto written = node.value_exact<std::string>();
    const std::string wanted = describe_dimension(powers_of<typename Q::DimensionType>);
    if (!written) {
      found_instead(node, key, fmt::format("{}, in quotes with its unit", wanted));
      return Q{};
    }
    Q value{};
    try {
      value = parse_quantity<Q>(*written);
    } catch (const TextError& wrong) {
      file_->add(node.source(), fmt::format("{}: {}: {}", path_, key, wrong.what()), 1 + wrong.offset());
      return Q{};
    } catch (const RangeError& wrong) {
      const std::string absurd = why_absurd(*written, parse_any_quantity(*written));
      error(node.source(), fmt::format("{}: {}", key, absurd.empty() ? wrong.what() : absurd));
      return Q{};
    }
    if (const std::string absurd = why_absurd(*written, parse_any_quantity(*written)); !absurd.empty()) {
      error(node.source(), fmt::format("{}: {}", key, absurd));
      return Q{};
    }
    if ((sign == Sign::positive && !(Q{} < value)) || (sign == Sign::not_negative && value < Q{})) {
      error(node.source(), fmt::format("{}: found \"{}\"; expected {} {}", key, *written, wanted,
                                       sign == Sign::positive ? "above 0" : "not below 0"));
    }
    return value;
  }

  TomlFile* file_;
  const toml::table* table_;
  std::string path_;
  std::vector<std::string> known_;
};

}  // namespace cogstride
