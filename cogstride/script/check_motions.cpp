// Where every motion of a script would end, and how long it takes, without playing it: each verb foresees
// its own.
#include <fmt/format.h>

#include <algorithm>

#include "cogstride/script/foreseen.hpp"
#include "cogstride/script/verbs/verb.hpp"

namespace cogstride {
namespace {

class MotionChecker final : public Walk {
 public:
  using Walk::Walk;

  void go_through(std::span<const Statement> statements) override {
    for (const Statement& statement : statements) {
      if (known.endless != nullptr) {
        add(statement, fmt::format("this is never reached: the repeat in line {} has no end",
                                   known.endless->place.line));
        return;
      }
      if (known.has_left) {
        add(statement, "this is never reached: 'leave' stands before it");
        return;
      }
      try {
        statement.verb->foresee(statement, *this);
      } catch (const RangeError& error) {
        add(statement, error.what());
      }
    }
  }

  std::vector<Diagnostic> wrong;

 private:
  void add(const Statement& statement, const std::string& message) {
    const auto same = [&](const Diagnostic& d) { return d.place.line == statement.place.line; };
    if (std::any_of(wrong.begin(), wrong.end(), same)) return;
    const std::string marks(statement.text.size(), '^');
    add_or_end(wrong, {statement.place, message, fmt::format("    {}\n    {}", statement.text, marks)});
  }
};

}  // namespace

Foreseen known_at_begin(const Rig& rig, const KnownPositions& positions) {
  Foreseen known;
  for (const Mechanism& mechanism : rig.mechanisms) {
    const OutputPosition zero{output_kind(mechanism.train), 0};
    const auto given = positions.find(mechanism.name);
    if (given != positions.end()) {
      known.standing.push_back({true, given->second, nullptr});
    } else if (mechanism.takes_pulse_width()) {
      known.standing.push_back({});
    } else {
      known.standing.push_back(mechanism.homing ? Standing{} : Standing{true, zero, nullptr});
    }
  }
  return known;
}

ScriptCheck check_motions(const Script& script, const Rig& rig, const KnownPositions& positions) {
  Foreseen known = known_at_begin(rig, positions);
  return check_motions(script, rig, known);
}

ScriptCheck check_motions(const Script& script, const Rig& rig, Foreseen& known) {
  MotionChecker checker(rig, known);
  checker.go_through(script.statements);
  return {std::move(checker.wrong), known.length, known.endless};
}

}  // namespace cogstride
