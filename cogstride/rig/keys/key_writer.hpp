// Writes the declared keys of a part (part_keys.hpp, hand_keys.hpp) into a new rig file, each with what it
// is.
#pragma once

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <iterator>
#include <string>

#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/keys/hand_keys.hpp"

namespace cogstride {

class KeyWriter {
 public:
  KeyWriter(std::string& file, OutputKind kind) : file_(file), kind_(kind) {}

  /// `name = value   # about`
  void put(std::string_view name, const std::string& value, std::string_view about) {
    std::string line = fmt::format("{} = {}", name, value);
    if (!about.empty()) line = fmt::format("{:<38} # {}", line, about);
    file_ += line + "\n";
  }
  /// The same for what may be left out.
  void put_comment(std::string_view name, const std::string& value, std::string_view about) {
    put(fmt::format("# {}", name), value, about);
  }

  template <class Field>
  void key(const char* name, const Field& field, const KeyText& text) {
    if constexpr (is_optional<Field>) {
      if (field) return put(name, text_of(*field, text), text.about);
      put_comment(name, blank<typename Field::value_type>(text), text.about);
    } else if (text.otherwise != nullptr && !differs(field)) {
      put_comment(name, blank<Field>(text),
                  fmt::format("{}{}; otherwise {}", text.about, *text.about == '\0' ? "may be left out" : "",
                              text.otherwise));
    } else {
      put(name, text_of(field, text), text.about);
    }
  }
  void line(const char* name, const DrivenLine& line, ActiveLevel usual, const char* about) {
    put(name, line_text(line, usual), about);
  }
  void line(const char* name, const std::optional<DrivenLine>& line, ActiveLevel usual, const char* about) {
    if (line) return put(name, line_text(*line, usual), about);
    put_comment(name, "{ line = ... }", about);
  }
  void needed_line(const char* name, const std::optional<DrivenLine>& line, ActiveLevel usual,
                   const char* about) {
    put(name, line_text(*line, usual), about);
  }
  void lines(const char* name, const std::vector<DrivenLine>&, const char* about) {
    put_comment(name, "[{ line = ... }]", about);
  }
  void sensed(const char* name, const std::optional<SensedLine>&, const char* about) {
    put_comment(name, "{ line = ..., active = \"low\" }", about);
  }
  void enable(const CommonWiring&, const std::optional<DrivenLine>& line, ActiveLevel usual) {
    if (line)
      return put("enable", line_text(*line, usual), "or \"tied\" to its active level, or left \"open\"");
    put("enable", "\"tied\"", "to its active level; or a line, or \"open\"");
  }
  void travel(const Limits& limits, bool) {
    if (limits.travel_from)
      return put("travel", span(*limits.travel_from, *limits.travel_to), "the soft limits");
    put_comment("travel", blank_span(), "the soft limits; otherwise endless");
  }
  void hard_ends(const std::optional<HardEnds>& ends) {
    if (ends) return put("hard_ends", span(ends->from, ends->to), "mechanical stops");
    put_comment("hard_ends", blank_span(), "mechanical stops");
  }
  void place(const PlaceSwitch& place_switch) {
    if (place_switch.is_window) {
      put("window", span(place_switch.window_from, place_switch.window_to), "acts between");
      put("hysteresis", quoted(to_text(place_switch.hysteresis)), "releases so much farther out");
      return;
    }
    put("acts_at", quoted(to_text(place_switch.acts_at)), "the output moving into it");
    put("releases_at", quoted(to_text(place_switch.releases_at)), "and out of it");
  }

 private:
  static std::string quoted(const std::string& text) { return fmt::format("\"{}\"", text); }

  static std::string line_value(std::int64_t line) {
    return pin_of(line) ? quoted(line_name(line)) : line_name(line);
  }
  static std::string line_text(const DrivenLine& line, ActiveLevel usual) {
    std::string text = fmt::format("{{ line = {}", line_value(line.number));
    if (line.active != usual) text += fmt::format(", active = \"{}\"", word(line.active));
    if (line.external_pull) text += fmt::format(", external_pull = \"{}\"", word(*line.external_pull));
    return text + " }";
  }
  static std::string span(const OutputPosition& from, const OutputPosition& to) {
    return fmt::format("{{ from = \"{}\", to = \"{}\" }}", to_text(from), to_text(to));
  }
  [[nodiscard]] std::string blank_span() const {
    const std::string_view unit = display_unit(kind_, 0);
    return fmt::format("{{ from = \"... {}\", to = \"... {}\" }}", unit, unit);
  }

  template <class Value>
  static const char* word(const Value& value) {
    for (const auto& [name, each] : Words<Value>::list)
      if (each == value) return name;
    return "";
  }

  /// Whether a field with a default holds something else.
  template <class Field>
  static bool differs(const Field& field) {
    if constexpr (requires { field.empty(); }) {
      return !field.empty();
    } else {
      return !(field == Field{});
    }
  }
  static bool differs(const std::int64_t& field) { return field > 1; }
  template <int PerTime>
  static bool differs(const OutputAmount<PerTime>& field) {
    return field.base != Ratio(0);
  }

  template <class D>
  static std::string text_of(const Quantity<D>& field, const KeyText& text) {
    return quoted(to_text(field, text.unit));
  }
  template <class D>
  static std::string text_of(const ExactQuantity<D>& field, const KeyText& text) {
    return quoted(to_text(field, text.unit));
  }
  template <int PerTime>
  static std::string text_of(const OutputAmount<PerTime>& field, const KeyText&) {
    return quoted(to_text(field));
  }
  static std::string text_of(const std::int64_t& field, const KeyText&) { return fmt::format("{}", field); }
  static std::string text_of(const bool& field, const KeyText&) { return field ? "true" : "false"; }
  static std::string text_of(const std::string& field, const KeyText&) { return quoted(field); }
  template <class Value>
  requires std::is_enum_v<Value>
  static std::string text_of(const Value& field, const KeyText&) { return quoted(word(field)); }
  static std::string text_of(const std::vector<std::int64_t>& field, const KeyText&) {
    return fmt::format("[{}]", fmt::join(field, ", "));
  }
  static std::string text_of(const std::vector<std::string>& field, const KeyText&) {
    return field.empty() ? "[]" : fmt::format("[\"{}\"]", fmt::join(field, "\", \""));
  }
  static std::string text_of(const std::vector<CoilEnd>& field, const KeyText&) {
    std::vector<std::string> words;
    for (const CoilEnd end : field) words.emplace_back(word(end));
    return fmt::format("[\"{}\"]", fmt::join(words, "\", \""));
  }
  static std::string text_of(const SwitchMicrosteps& field, const KeyText&) {
    std::vector<std::string> rows;
    for (const auto& [row, value] : field) rows.push_back(fmt::format("{} = {}", row, value));
    return fmt::format("{{ {} }}", fmt::join(rows, ", "));
  }
  static std::string text_of(const SwitchCurrents& field, const KeyText& text) {
    std::vector<std::string> rows;
    for (const auto& [row, value] : field)
      rows.push_back(fmt::format("{} = {}", row, quoted(to_text(value, text.unit))));
    return fmt::format("{{ {} }}", fmt::join(rows, ", "));
  }
  static std::string text_of(const std::vector<PulseWidthInput::ArmingStage>& field, const KeyText& text) {
    std::vector<std::string> stages;
    for (const auto& stage : field)
      stages.push_back(fmt::format("{{ pulse = \"{}\", lasts = \"{}\" }}", to_text(stage.pulse, text.unit),
                                   to_text(stage.lasts, "s")));
    return fmt::format("[{}]", fmt::join(stages, ", "));
  }
  template <class Amount>
  static std::string text_of(const DriveAmount<Amount>& field, const KeyText& text) {
    return quoted(fmt::format("{}, {}", to_text(field.object), to_text(field.worth, text.unit)));
  }
  static std::string text_of(const std::vector<DriveSetting>& field, const KeyText&) {
    std::vector<std::string> settings;
    for (const DriveSetting& each : field) settings.push_back(quoted(to_text(each)));
    return fmt::format("[{}]", fmt::join(settings, ", "));
  }

  /// What stands where the maker has to put a value in.
  template <class Field>
  [[nodiscard]] std::string blank(const KeyText& text) const {
    if constexpr (std::is_same_v<Field, bool>) {
      return "false";
    } else if constexpr (std::is_enum_v<Field>) {
      std::string words;
      for (const auto& [name, value] : Words<Field>::list)
        words += (words.empty() ? "" : " or ") + quoted(name);
      return words;
    } else if constexpr (std::is_same_v<Field, std::int64_t>) {
      return "...";
    } else if constexpr (requires { typename Field::mapped_type; }) {
      return "{ 000 = ... }";
    } else if constexpr (requires(Field field) { field.begin(); } && !std::is_same_v<Field, std::string>) {
      return "[...]";
    } else if constexpr (requires(Field field) { field.kind; }) {
      return quoted(fmt::format("... {}", display_unit(kind_, per_time(static_cast<const Field*>(nullptr)))));
    } else {
      return quoted(*text.unit == '\0' ? std::string("...") : fmt::format("... {}", text.unit));
    }
  }
  template <int PerTime>
  static constexpr int per_time(const OutputAmount<PerTime>*) {
    return PerTime;
  }

  std::string& file_;
  OutputKind kind_;
};

}  // namespace cogstride
