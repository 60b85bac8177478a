// A script: what mechanisms should do, in plain words, one statement a line.
//
//   pattern lay width 80 mm pitch 1.4 mm     # with two values
//     move traverse by width at 40 mm/s
//     move traverse by -width
//   end
//
//   home traverse
//   repeat 3 times
//     lay width 60 mm
//     turn creel to station 5
//   end
//
// `read_script` checks the whole of it against the rig before anything moves: names, units, limits, and where
// every move would end, repeats and patterns included. docs/script-language.md has every verb.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "cogstride/lines/events.hpp"
#include "cogstride/motion/orders.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/rig/diagnostic.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// A line of the rig that a script waits for.
struct AwaitedLine {
  std::string name{};  ///< "pedal", "main", "traverse.far"
  LineId line{};
  bool acts = true;
};

class Verb;
struct VerbWord;

/// A limit that a script has taught: `teach traverse far limit`.
struct TaughtLimit {
  std::size_t mechanism = 0;  ///< its place in the rig
  OutputPosition from{};
  OutputPosition to{};
};

struct Statement {
  enum class Kind : std::uint8_t {
    home,
    move,  ///< and turn: `order` has a way round then
    spin,
    faster,  ///< and slower: `change` is below 0 then
    reverse,
    stop,
    swing,
    throttle,
    drive_pair,
    fade_output,
    ready,
    measure,
    jog,
    repeat,
    arrive_together,
    start_together,
    in_order,
    with_limits,
    pattern,  ///< `called` are its statements
    verb      ///< an object of its own (script/verbs/) has all that it says
  };
  static constexpr std::size_t everything = static_cast<std::size_t>(-1);

  Kind kind = Kind::verb;
  bool on = false;  ///< jog: past the soft limits
  SourcePlace place{};
  std::string text{};                    ///< as written, without blanks around it and without its comment
  std::size_t mechanism = everything;    ///< its place in the rig, or (stop) everything
  std::size_t pair = everything;         ///< drive_pair; stop, where it is one: its place in the rig
  CartOrder cart{};                      ///< drive_pair
  std::size_t output = 0;                ///< of fade_output: its place in the rig
  MoveOrder order{};                     ///< move, swing
  bool by_encoder = false;               ///< move: its loop decides how long it takes
  SpeedOrder spin{.at = OutputSpeed()};  ///< spin; jog: at what speed
  OutputSpeed change{};                  ///< faster
  /// Of a mechanism that is driven by duty or has a throttle: spin, throttle; faster: `duty` is the change;
  /// reverse, stop: `ramp`.
  std::optional<DutyOrder> by_duty{};
  AwaitedLine awaits{};                ///< jog: that ends it
  std::vector<AwaitedLine> keys{};     ///< jog: back, and on
  double share = 0.0;                  ///< fade_output, of full duty
  ExactTime pause{};                   ///< fade_output: that it takes
  std::optional<ExactTime> longest{};  ///< ready: after which it gives up
  std::int64_t count = 1;              ///< repeat; 0 is without end
  std::vector<Statement> body{};
  std::shared_ptr<const std::vector<Statement>> called{};
  std::shared_ptr<const Verb> verb{};

  /// The statements inside it.
  [[nodiscard]] const std::vector<Statement>& inside() const { return called ? *called : body; }
};

struct Script {
  std::string name;
  std::vector<Statement> statements;
};

/// How long a script takes, as far as that can be told ahead.
struct ScriptLength {
  double seconds = 0.0;  ///< of all that can be told
  bool is_whole = true;  ///< else it homes, waits for something, or goes on without end, as well
  bool has_an_end = true;
};

/// Where mechanisms are known to stand when a script begins, without having been homed.
using KnownPositions = std::map<std::string, OutputPosition>;

/// @throws InputError with everything that is wrong, Error when the file cannot be read.
/// @param verbs  of the program's own, beside those of the language
[[nodiscard]] Script read_script(const std::string& path, const Rig& rig, const KnownPositions& known = {},
                                 std::span<const VerbWord> verbs = {});

/// The same from text; `name` stands for the file in messages.
[[nodiscard]] Script parse_script(std::string_view text, const std::string& name, const Rig& rig,
                                  const KnownPositions& known = {}, std::span<const VerbWord> verbs = {});

struct ScriptCheck {
  std::vector<Diagnostic> wrong;
  ScriptLength length;
};

/// All that is wrong with where a parsed script's motions would end, and how long they take.
[[nodiscard]] ScriptCheck check_motions(const Script& script, const Rig& rig,
                                        const KnownPositions& known = {});

/// Whether a statement's length can be told ahead.
[[nodiscard]] bool has_known_length(const Statement& statement);

}  // namespace cogstride
