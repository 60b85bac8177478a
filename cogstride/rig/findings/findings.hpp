// What is wrong with a rig before power is on, by closed-form estimates, each with its figures and a way out.
//
//   for (const Finding& finding : findings_of(rig)) print(finding);
//
// A finding has a stable code; `finding_kinds()` tells the story and the formula behind each.
#pragma once

#include <string>
#include <vector>

#include "cogstride/rig/rig.hpp"

namespace cogstride {

enum class Severity { note, warning, error };

/// One kind of finding, as `cogstride explain` tells it.
struct FindingKind {
  std::string code;     ///< stable
  Severity severity;    ///< as it usually is
  std::string title;    ///< one line
  std::string story;    ///< what happens on the bench, and why
  std::string formula;  ///< what is compared
};

struct Finding {
  std::string code;
  Severity severity = Severity::warning;
  std::string mechanism;  ///< empty: the whole rig
  SourcePlace place;      ///< line 0: the rig was not read from a file
  std::string what;       ///< with the figures compared
  std::string way_out;
};

/// Something that could not be checked, because the rig does not say a thing twice.
struct Unchecked {
  std::string code;
  std::string mechanism;
  std::string needs;  ///< the key that would allow it, whole: "mechanism.traverse.motor.step_angle"
};

struct Inspection {
  std::vector<Finding> findings;  ///< in the order of the file
  std::vector<Unchecked> unchecked;

  /// Whether nothing but notes was found.
  [[nodiscard]] bool is_sound() const;
};

/// @throws RangeError when an amount of the rig is not a number, or infinite
[[nodiscard]] Inspection inspect_rig(const Rig& rig);

/// What of an inspection is about one mechanism.
[[nodiscard]] Inspection about(const Inspection& inspection, const std::string& mechanism);

/// Every kind there is.
[[nodiscard]] const std::vector<FindingKind>& finding_kinds();

/// @throws RangeError, with the nearest code, when there is none of that name.
[[nodiscard]] const FindingKind& finding_kind(const std::string& code);

/// "note", "warning" or "error".
[[nodiscard]] std::string to_text(Severity severity);

}  // namespace cogstride
