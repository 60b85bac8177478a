// Where every move of a script would end, without playing it.
//
// A repeat's body either sends a mechanism to a place that does not depend on where it began, or shifts it by
// the same way each time. So its first, second and last pass show every place that any pass can reach, and
// the way between the ends of the first two gives where the last one begins.
#include <fmt/format.h>

#include <algorithm>
#include <optional>
#include <vector>

#include "cogstride/script/script.hpp"

namespace cogstride {
namespace {

using Places = std::vector<std::optional<OutputPosition>>;  // by mechanism; nothing: not homed yet

class PositionChecker {
 public:
  explicit PositionChecker(const Rig& rig) : rig_(rig) {}

  void pass(const std::vector<Statement>& statements, Places& places) {
    for (const Statement& statement : statements) {
      try {
        take(statement, places);
      } catch (const RangeError& error) {
        add(statement, error.what());
      }
    }
  }

  std::vector<Diagnostic> wrong;

 private:
  void take(const Statement& statement, Places& places) {
    switch (statement.kind) {
      case Statement::Kind::home:
        places[statement.mechanism] = rig_.mechanisms[statement.mechanism].homing->position;
        break;
      case Statement::Kind::move:
        move(statement, places[statement.mechanism]);
        break;
      case Statement::Kind::repeat:
        repeat(statement, places);
        break;
      case Statement::Kind::arrive_together:
        pass(statement.body, places);
        break;
      case Statement::Kind::wait:
        break;
    }
  }

  void move(const Statement& statement, std::optional<OutputPosition>& place) {
    const Mechanism& mechanism = rig_.mechanisms[statement.mechanism];
    if (!place) {
      add(statement,
          fmt::format("nobody knows yet where {0} stands: write 'home {0}' first", mechanism.name));
      return;
    }
    const OutputPosition target = target_of(mechanism, *place, statement.order);
    if (statement.order.takes) {
      const MoveOrder& order = statement.order;
      (void)limits_to_take(mechanism, order.takes->base().to_double(),
                           step_at(mechanism, target) - step_at(mechanism, *place),
                           ramp_limits(mechanism, rig_.controller, order.speed, order.acceleration));
    }
    place = target;
  }

  void repeat(const Statement& statement, Places& places) {
    pass(statement.body, places);
    if (statement.count == 1) return;
    const Places first = places;
    pass(statement.body, places);
    if (statement.count == 2) return;
    for (std::size_t i = 0; i < places.size(); ++i) {
      if (!first[i] || !places[i]) continue;
      const Ratio shift = places[i]->base - first[i]->base;
      places[i]->base = first[i]->base + shift * Ratio(statement.count - 2);
    }
    pass(statement.body, places);
  }

  void add(const Statement& statement, const std::string& message) {
    const auto same = [&](const Diagnostic& d) { return d.place.line == statement.place.line; };
    if (std::any_of(wrong.begin(), wrong.end(), same)) return;
    const std::string marks(statement.text.size(), '^');
    wrong.push_back({statement.place, message, fmt::format("    {}\n    {}", statement.text, marks)});
  }

  const Rig& rig_;
};

}  // namespace

std::vector<Diagnostic> check_positions(const Script& script, const Rig& rig) {
  PositionChecker checker(rig);
  Places places;
  for (const Mechanism& mechanism : rig.mechanisms) {
    const OutputPosition zero{output_kind(mechanism.train), 0};
    places.push_back(mechanism.homing ? std::nullopt : std::optional(zero));
  }
  checker.pass(script.statements, places);
  return std::move(checker.wrong);
}

}  // namespace cogstride
