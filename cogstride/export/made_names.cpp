#include "cogstride/export/made_names.hpp"

#include <algorithm>
#include <array>
#include <cctype>

namespace cogstride {
namespace {

constexpr std::array words{"alignas",   "alignof",      "and",           "and_eq",
                           "asm",       "auto",         "bitand",        "bitor",
                           "bool",      "break",        "case",          "catch",
                           "char",      "char16_t",     "char32_t",      "char8_t",
                           "class",     "co_await",     "co_return",     "co_yield",
                           "compl",     "concept",      "const",         "const_cast",
                           "consteval", "constexpr",    "constinit",     "continue",
                           "decltype",  "default",      "delete",        "do",
                           "double",    "dynamic_cast", "else",          "enum",
                           "explicit",  "export",       "extern",        "false",
                           "float",     "for",          "friend",        "goto",
                           "if",        "inline",       "int",           "long",
                           "main",      "mutable",      "namespace",     "new",
                           "noexcept",  "not",          "not_eq",        "nullptr",
                           "operator",  "or",           "or_eq",         "private",
                           "protected", "public",       "register",      "reinterpret_cast",
                           "requires",  "return",       "short",         "signed",
                           "sizeof",    "static",       "static_assert", "static_cast",
                           "std",       "struct",       "switch",        "template",
                           "this",      "thread_local", "throw",         "true",
                           "try",       "typedef",      "typeid",        "typename",
                           "union",     "unsigned",     "using",         "virtual",
                           "void",      "volatile",     "wchar_t",       "while",
                           "xor",       "xor_eq",       "linux",         "unix",
                           "cogstride", "script",       "stretches",     "Stretch",
                           "Machine",   "Serial",       "says",          "say_where",
                           "run",       "is_stopped",   "play_script",   "chip",
                           "avr8",      "Hands",        "hands",         "is_resting",
                           "saying",    "say_on"};

bool is_letter(char each) {
  return std::isalnum(static_cast<unsigned char>(each)) != 0;
}

}  // namespace

std::string MadeNames::name_for(std::string_view of) {
  std::string name;
  for (const char each : of) {
    const bool fits = is_letter(each) && static_cast<unsigned char>(each) < 128;
    // No two in a row: such names are the compiler's.
    if (!fits && (name.empty() || name.back() == '_')) continue;
    name += fits ? each : '_';
  }
  while (!name.empty() && name.back() == '_') name.pop_back();
  if (name.empty()) name = "it";
  if (std::isdigit(static_cast<unsigned char>(name.front())) != 0) name = "n" + name;
  // Macros are spelled in capitals.
  const bool is_like_a_macro = std::none_of(name.begin(), name.end(), [](char each) {
    return std::islower(static_cast<unsigned char>(each)) != 0;
  });
  if (is_like_a_macro || std::find(words.begin(), words.end(), name) != words.end()) name += "_of_rig";
  std::string free = name;
  for (int i = 2; given_.count(free) != 0; ++i) free = name + "_" + std::to_string(i);
  given_.insert(free);
  return free;
}

}  // namespace cogstride
