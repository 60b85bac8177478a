#include "cogstride/rig/files/parts_mark.hpp"

#include <sstream>

#include "cogstride/rig/files/toml_table.hpp"

namespace cogstride {

std::string parts_mark(const toml::table& rig, const std::string& mechanism) {
  const toml::table* const all = rig["mechanism"].as_table();
  const toml::node* const found = all == nullptr ? nullptr : all->get(mechanism);
  if (found == nullptr || !found->is_table()) return {};
  toml::table parts = *found->as_table();
  parts.erase("proven");
  parts.erase("by_hand");
  parts.erase("guesses");
  std::ostringstream text;  // keys in the order of the alphabet, no comments
  text << toml::toml_formatter(parts);
  return fmt::format("{:016x}", fingerprint(text.str()));
}

}  // namespace cogstride
