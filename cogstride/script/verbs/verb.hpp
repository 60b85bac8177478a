// A verb of the script language is one object: it reads its words, foresees where its motion ends and how
// long it takes, begins it, and says when it is over. It asks a mover for what it can do, not for its kind.
//
// One that no file of the library knows is handed to read_script (tests/support/solenoid.hpp has one).
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "cogstride/lines/lines.hpp"
#include "cogstride/motion/cast.hpp"
#include "cogstride/script/foreseen.hpp"

namespace cogstride {

class LineReader;
class Mover;
struct GearOrder;
struct MotionRecord;
struct Stretch;

/// A statement that has begun.
class Doing {
 public:
  virtual ~Doing() = default;
  /// Whether it has done what it is for.
  [[nodiscard]] virtual bool is_over(Tick now) const = 0;
  /// Why it cannot go on; "" as long as it can.
  [[nodiscard]] virtual std::string failure(Tick /*now*/) const { return {}; }
  /// When it wants to be looked at next, whatever is read until then.
  [[nodiscard]] virtual Tick wakes_at() const { return never; }
  /// It has been looked at, and is not over. @throws RangeError when what it wants to do is refused
  virtual void act(Lines& /*lines*/) {}
  /// Once it is over: statements that are carried out before those behind it.
  [[nodiscard]] virtual std::span<const Statement> goes_on_with(Tick /*now*/) const { return {}; }
};

/// What a statement is about, for whoever checks or draws it.
struct About {
  static constexpr std::size_t nothing = static_cast<std::size_t>(-1);
  static constexpr std::size_t everything = nothing - 1;
  std::size_t mechanism = nothing;  ///< its place in the rig
  std::size_t pair = nothing;       ///< of a cart: its place in the rig
  std::size_t faded = nothing;      ///< an output that is faded: its place in the rig
  bool moves = false;               ///< it goes somewhere, or turns
  bool homes = false;
  bool by_encoder = false;  ///< a motor that is driven by duty goes by what its encoder counts
};

/// Who plays a script.
class Playing {
 public:
  virtual ~Playing() = default;
  /// Asks whoever looks on: "Is the supply small on?". Nobody there: yes.
  [[nodiscard]] virtual bool answers(const std::string& question) = 0;
  /// Statements that begin at one instant; they must outlive it.
  [[nodiscard]] virtual std::unique_ptr<Doing> side_by_side(std::span<const Statement> statements) = 0;
  /// Looked after until it is over, or something else is ordered of what it is about.
  virtual void follow(std::unique_ptr<Doing> following, const About& about) = 0;
  /// Who plays the whole script, for as long as it is played.
  [[nodiscard]] virtual Playing& whole() = 0;
};

/// What a statement is carried out on.
struct Stage {
  const Rig& rig;
  const Cast& cast;
  Lines& lines;
  Playing& playing;
  std::vector<TaughtLimit>& taught;  ///< limits that the script has taught so far
  bool replaces = false;             ///< a motion that is on is given the new order, from the state it is in

  /// @param mechanism  its place in the rig
  [[nodiscard]] Mover& mover(std::size_t mechanism) const { return *cast.mechanisms[mechanism]; }
  [[nodiscard]] Tick ticks(ExactTime time) const;
};

/// The mechanisms of a rig that something is about, a cart's wheels for a cart; About::everything stands for
/// itself.
[[nodiscard]] std::vector<std::size_t> mechanisms_of(const About& about, const Rig& rig);

/// A move to a place or by a way.
struct OrderedMove {
  std::size_t mechanism = 0;  ///< its place in the rig
  MoveOrder order{};
  bool by_encoder = false;  ///< its loop decides how long it takes
};

class Block;

class Verb {
 public:
  virtual ~Verb() = default;
  /// What is known when it has been carried out. @throws RangeError when it cannot be
  virtual void foresee(const Statement& statement, Walk& walk) const = 0;
  /// @return what is waited for; null when it is done at once. @throws RangeError when it is refused
  [[nodiscard]] virtual std::unique_ptr<Doing> begin(const Stage& stage) const = 0;

  /// Whether its length can be told ahead.
  [[nodiscard]] virtual bool has_known_length() const { return false; }
  /// In whose name it stands in a record; "": motions tell of themselves.
  [[nodiscard]] virtual std::string told_of(const Rig& /*rig*/) const { return {}; }
  [[nodiscard]] virtual About about() const { return {}; }
  /// The move that it is; null when it is something else.
  [[nodiscard]] virtual const OrderedMove* move() const { return nullptr; }
  /// The statements inside it.
  [[nodiscard]] virtual std::span<const Statement> inside() const { return {}; }
  /// How often those are carried out, one after the other, in its place, 0: without end; nothing: it begins
  /// itself.
  [[nodiscard]] virtual std::optional<std::int64_t> passes() const { return std::nullopt; }
  [[nodiscard]] virtual bool repeats() const { return false; }
  /// It is begun, and goes on meanwhile: a hand may go on saying how.
  [[nodiscard]] virtual bool goes_on_until_stopped() const { return false; }
  /// It goes on behind the repeat that it stands in.
  [[nodiscard]] virtual bool leaves_repeat() const { return false; }
  /// Whether all that it does is known ahead to the tick once one knows where everything stands, and can be
  /// played back by who cannot plan: a small chip.
  [[nodiscard]] virtual bool can_be_played_back() const { return false; }
  /// The input that it waits for, and for nothing else.
  struct Awaited {
    LineId line{};
    bool acts = true;
    std::optional<ExactTime> longest{};
  };
  [[nodiscard]] virtual std::optional<Awaited> awaits() const { return std::nullopt; }
  /// The time that it lets pass, and nothing else.
  [[nodiscard]] virtual std::optional<ExactTime> pause() const { return std::nullopt; }
  /// By which the mechanism that it is about goes along with another; null when it is something else.
  [[nodiscard]] virtual const GearOrder* gear() const { return nullptr; }
  /// It ends that.
  [[nodiscard]] virtual bool lets_go() const { return false; }
  /// The way of its leader that a mechanism is waited for to follow.
  struct Followed {
    std::size_t mechanism = About::nothing;  ///< its place in the rig
    OutputPosition way{};
  };
  [[nodiscard]] virtual std::optional<Followed> followed() const { return std::nullopt; }
  /// What it waits for, of one that stands in 'whichever comes first'.
  [[nodiscard]] virtual const Verb* happening() const { return nullptr; }
  /// Why it cannot stand in a block, or in none; "" when it can.
  [[nodiscard]] virtual std::string refuses_to_stand_in(const Block* /*block*/) const { return {}; }
};

/// A verb with statements of its own, up to their `end`.
class Block : public Verb {
 public:
  [[nodiscard]] std::span<const Statement> inside() const final { return body_; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override;
  /// Where all that stands in it can be.
  [[nodiscard]] bool can_be_played_back() const override;
  void take_in(std::vector<Statement> body) { body_ = std::move(body); }

  /// Limits that hold inside; null: none of its own.
  [[nodiscard]] virtual const Stretch* stretch() const { return nullptr; }
  /// Why a statement cannot stand in it; "" when it can.
  [[nodiscard]] virtual std::string refuses(const Statement& /*statement*/) const { return {}; }
  /// Whether what stands in it goes on in the row that it stands in itself, and not beside it.
  [[nodiscard]] virtual bool goes_on_in_its_row() const { return passes().has_value(); }
  /// Whether what stands in it waits for something each.
  [[nodiscard]] virtual bool is_of_happenings() const { return false; }
  /// Whether it may be empty.
  [[nodiscard]] virtual bool may_be_empty() const { return true; }
  /// What is wrong with a statement inside it beside the others.
  struct Complaint {
    const Statement* about;
    std::string message;
  };
  [[nodiscard]] virtual std::vector<Complaint> complaints(const Statement& /*itself*/,
                                                          const Rig& /*rig*/) const {
    return {};
  }

 private:
  std::vector<Statement> body_;
};

/// A word that a statement begins with, and how what follows it is read. @throws Wrong
struct VerbWord {
  std::string_view word{};
  std::unique_ptr<Verb> (*read)(LineReader& reader) = nullptr;
  std::unique_ptr<Block> (*read_block)(LineReader& reader) = nullptr;  ///< of one that has an `end`, instead
};
/// Those of the language.
[[nodiscard]] std::span<const VerbWord> verb_words();

/// Waits for motions.
class Motions final : public Doing {
 public:
  explicit Motions(std::vector<std::shared_ptr<MotionRecord>> records) : records_(std::move(records)) {}
  [[nodiscard]] bool is_over(Tick now) const override;
  [[nodiscard]] std::string failure(Tick now) const override;

 private:
  std::vector<std::shared_ptr<MotionRecord>> records_;
};
[[nodiscard]] std::unique_ptr<Doing> wait_for(std::shared_ptr<MotionRecord> motion);

}  // namespace cogstride
