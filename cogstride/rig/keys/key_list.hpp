// Every key of a rig file with what it is, from the same declarations that the reader uses.
#pragma once

#include <string>
#include <vector>

namespace cogstride {

struct KeyInfo {
  std::string name{};
  std::string value{};      ///< "a current such as 1.6 A", "4 to 100000", "\"low\" or \"high\""
  std::string about{};      ///< what it is
  std::string otherwise{};  ///< when it is left out; "required" when it cannot be
  [[nodiscard]] bool is_required() const { return otherwise == "required"; }
};

struct KeySection {
  std::string table{};  ///< "[mechanism.NAME.motor]"
  std::string kind{};   ///< "bipolar stepper"; empty where there are no kinds
  std::string about{};
  std::vector<KeyInfo> keys{};
};

/// In the order of docs/rig.md.
[[nodiscard]] const std::vector<KeySection>& key_sections();

/// Sections whose table or kind holds a word, such as "motor" or "brushed"; all for an empty one.
/// @throws RangeError when there is none, with the words that there are
[[nodiscard]] std::vector<KeySection> key_sections_about(const std::string& word);

}  // namespace cogstride
