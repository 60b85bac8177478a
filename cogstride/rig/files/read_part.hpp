// From the tables of a rig file to parts: what all readers of them share.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/rig/keys/key_reader.hpp"
#include "cogstride/rig/keys/kinds.hpp"
#include "cogstride/rig/keys/part_rules.hpp"

namespace cogstride {

/// Breaches of a part's rules, at their keys in the file.
class TomlErrors final : public PartErrors {
 public:
  explicit TomlErrors(TomlTable& table) : table_(table) {}
  void error(const char* key, const std::string& message, const char* code) override {
    table_.error(*key == 0 ? table_.place() : table_.place_of(key), message, code);
  }
  [[nodiscard]] bool has(const char* key) const override { return table_.has(key); }

 private:
  TomlTable& table_;
};

/// Reads the declared keys of a part; what is left is the caller's, who finishes the table.
template <class Part, class... More>
void read_keys(TomlTable& table, OutputKind kind, Part& part, More&... more) {
  KeyReader keys(table, kind);
  declare(keys, part, more...);
}

template <class Part>
Part read_part(TomlTable table) {
  Part part;
  read_keys(table, OutputKind::rotary, part);
  table.finish();
  return part;
}

/// The part of the kind that a table names; nothing, and an error, when it names none.
template <class Part>
std::optional<Part> kind_of(TomlTable& table, const std::vector<NamedKind<Part>>& kinds) {
  return table.kind<Part>(kinds);
}

template <class Read>
void for_each_table(TomlTable& root, const char* key, Read read) {
  if (auto tables = root.optional_table(key)) {
    for (auto& [name, table] : tables->named_tables()) read(name, table);
  }
}

}  // namespace cogstride
