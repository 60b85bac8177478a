// Takes the declared keys of a part (part_keys.hpp, hand_keys.hpp) from a TOML table.
#pragma once

#include <fmt/format.h>

#include "cogstride/rig/files/toml_table.hpp"
#include "cogstride/rig/keys/hand_keys.hpp"

namespace cogstride {

inline constexpr std::int64_t no_line = -1;  ///< stands in for one that is missing or wrong

class KeyReader {
 public:
  explicit KeyReader(TomlTable& table, OutputKind kind = OutputKind::rotary) : table_(table), kind_(kind) {}

  template <class Field>
  void key(const char* name, Field& field, const KeyText& text) {
    if ((text.otherwise != nullptr || is_optional<Field>)&&!table_.has(name)) return;
    if constexpr (is_optional<Field>) {
      field.emplace();
      read(name, *field, text);
    } else {
      read(name, field, text);
    }
  }

  void line(const char* name, DrivenLine& line, ActiveLevel usual, const char*) {
    line = read_line(table_.table(name), usual);
  }
  void line(const char* name, std::optional<DrivenLine>& line, ActiveLevel usual, const char*) {
    if (table_.has(name)) line = read_line(table_.table(name), usual);
  }
  void needed_line(const char* name, std::optional<DrivenLine>& line, ActiveLevel usual, const char*) {
    line = read_line(table_.table(name), usual);
  }
  void lines(const char* name, std::vector<DrivenLine>& lines, const char*) {
    if (!table_.has(name)) return;
    for (TomlTable& each : table_.table_list(name)) lines.push_back(read_line(each, ActiveLevel::high));
  }
  void sensed(const char* name, std::optional<SensedLine>& line, const char*) {
    if (!table_.has(name)) return;
    const DrivenLine read = read_line(table_.table(name), ActiveLevel::low);
    line = SensedLine{read.number, read.active};
  }
  void enable(CommonWiring& common, std::optional<DrivenLine>& line, ActiveLevel usual) {
    common.enable = EnableUse::tied;
    if (!table_.has("enable")) return;
    if (table_.holds_text("enable")) {
      common.enable =
          table_.choice<EnableUse>("enable", {{"tied", EnableUse::tied}, {"open", EnableUse::open}});
      return;
    }
    common.enable = EnableUse::driven;
    line = read_line(table_.table("enable"), usual);
  }

  void travel(Limits& limits, bool needed) {
    if (!needed && !table_.has("travel")) return;
    if (const auto span = read_span("travel")) {
      limits.travel_from = span->from;
      limits.travel_to = span->to;
    }
  }
  void hard_ends(std::optional<HardEnds>& ends) {
    if (table_.has("hard_ends")) ends = read_span("hard_ends");
  }
  void place(PlaceSwitch& place_switch) {
    if (table_.has("window")) {
      if (const auto span = read_span("window")) {
        place_switch.is_window = true;
        place_switch.window_from = span->from;
        place_switch.window_to = span->to;
      }
      if (table_.has("hysteresis"))
        place_switch.hysteresis = table_.output<0>("hysteresis", kind_, Sign::not_negative);
      return;
    }
    place_switch.acts_at = table_.output<0>("acts_at", kind_);
    place_switch.releases_at = table_.output<0>("releases_at", kind_);
  }

 private:
  std::optional<HardEnds> read_span(const char* name) {
    std::optional<TomlTable> table = table_.table(name);
    if (!table) return std::nullopt;
    const HardEnds span{table->output<0>("from", kind_), table->output<0>("to", kind_)};
    if (span.from.base >= span.to.base && table->has("from") && table->has("to")) {
      table->error(table->place(), fmt::format("from {} to {}: the first must be the lower",
                                               to_text(span.from), to_text(span.to)));
    }
    table->finish();
    return span;
  }

  template <class Value>
  static std::vector<std::pair<std::string, Value>> words() {
    return {Words<Value>::list.begin(), Words<Value>::list.end()};
  }

  template <class D>
  void read(const char* name, Quantity<D>& field, const KeyText& text) {
    field = table_.quantity<Quantity<D>>(name, text.sign);
  }
  template <class D>
  void read(const char* name, ExactQuantity<D>& field, const KeyText& text) {
    field = table_.quantity<ExactQuantity<D>>(name, text.sign);
  }
  template <int PerTime>
  void read(const char* name, OutputAmount<PerTime>& field, const KeyText& text) {
    field = table_.output<PerTime>(name, text.of_another ? table_.output_kind_of<PerTime>(name) : kind_,
                                   text.sign);
  }
  void read(const char* name, std::int64_t& field, const KeyText& text) {
    field = text.is_line ? table_.line(name, no_line) : table_.whole(name, text.least, text.most, no_line);
  }
  void read(const char* name, std::string& field, const KeyText& text) {
    field = table_.text(name, text.about);
  }
  void read(const char* name, bool& field, const KeyText&) { field = table_.truth(name); }
  template <class Value>
  requires std::is_enum_v<Value>
  void read(const char* name, Value& field, const KeyText&) {
    field = table_.choice<Value>(name, words<Value>());
  }
  void read(const char* name, std::vector<std::int64_t>& field, const KeyText& text) {
    field = text.is_line ? table_.line_list(name) : table_.whole_list(name, text.least, text.most);
  }
  void read(const char* name, std::vector<std::string>& field, const KeyText&) {
    field = table_.text_list(name);
  }
  void read(const char* name, std::vector<CoilEnd>& field, const KeyText&) {
    field = table_.choice_list<CoilEnd>(name, words<CoilEnd>());
  }
  void read(const char* name, SwitchMicrosteps& field, const KeyText& text) {
    if (auto table = positions(name)) {
      for (const std::string& row : table->keys()) field[row] = table->whole(row, text.least, text.most);
    }
  }
  void read(const char* name, SwitchCurrents& field, const KeyText&) {
    if (auto table = positions(name)) {
      for (const std::string& row : table->keys()) field[row] = table->quantity<Current>(row);
    }
  }
  void read(const char* name, std::vector<PulseWidthInput::ArmingStage>& field, const KeyText&) {
    for (TomlTable& stage : table_.table_list(name)) {
      PulseWidthInput::ArmingStage read{stage.quantity<Time>("pulse"), stage.quantity<Time>("lasts")};
      stage.finish();
      field.push_back(read);
    }
  }
  template <class Amount>
  void read(const char* name, DriveAmount<Amount>& field, const KeyText& text) {
    const std::string said = table_.text(name, text.about);
    if (said.empty()) return;
    try {
      const std::size_t comma = said.find(',');
      field.object = parse_drive_object(said.substr(0, comma));
      if (comma == std::string::npos)
        throw TextError(0, fmt::format("found \"{}\"; expected a comma and what one of it is worth: {}, 1 {}",
                                       said, said, text.unit));
      field.worth = parse_quantity<Amount>(said.substr(said.find_first_not_of(' ', comma + 1)));
      if (!(Amount() < field.worth)) throw TextError(0, "what one of it is worth is above 0");
    } catch (const TextError& error) {
      table_.error(table_.place_of(name), fmt::format("{}: {}", name, error.what()));
    }
  }
  void read(const char* name, std::vector<DriveSetting>& field, const KeyText&) {
    try {
      for (const std::string& each : table_.text_list(name)) field.push_back(parse_drive_setting(each));
    } catch (const TextError& error) {
      table_.error(table_.place_of(name), fmt::format("{}: {}", name, error.what()));
    }
  }

  /// A table with switch positions for keys, all of the same number of switches.
  std::optional<TomlTable> positions(const char* name) {
    std::optional<TomlTable> table = table_.table(name);
    if (!table) return table;
    const std::vector<std::string> rows = table->keys();
    for (const std::string& row : rows) {
      const bool is_binary = row.find_first_not_of("01") == std::string::npos;
      if (is_binary && row.size() == rows.front().size()) continue;
      table->error(
          table->place_of(row),
          fmt::format("'{}' is not {} switch positions, 0 or 1 each, as in 101", row, rows.front().size()));
    }
    return table;
  }

  DrivenLine read_line(std::optional<TomlTable> table, ActiveLevel usual) {
    DrivenLine line;
    line.number = no_line;
    line.active = usual;
    if (!table) return line;
    line.number = table->line("line", no_line);
    line.active = table->choice_or("active", words<ActiveLevel>(), usual);
    if (table->has("external_pull"))
      line.external_pull = table->choice("external_pull", words<ActiveLevel>());
    table->finish();
    return line;
  }

  TomlTable& table_;
  OutputKind kind_;
};

}  // namespace cogstride
