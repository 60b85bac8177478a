// A verb of the script language is one object: it reads its words, foresees where its motion ends and how
// long it takes, begins it, and says when it is over. It asks a mover for what it can do, not for its kind.
//
// One that no file of the library knows is handed to read_script (tests/support/solenoid.hpp has one).
#pragma once

#include <memory>
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
struct MotionRecord;

/// What a statement is carried out on.
struct Stage {
  const Rig& rig;
  const Cast& cast;
  Lines& lines;
  const Statement& statement;
  std::vector<TaughtLimit>& taught;  ///< limits that the script has taught so far

  /// Of the mechanism that the statement names.
  [[nodiscard]] Mover& mover() const;
  [[nodiscard]] Tick ticks(ExactTime time) const;
};

/// What a mover can do. @throws RangeError when it cannot
template <class Capability>
[[nodiscard]] Capability& able(const std::string& who, Capability* capability, const char* what) {
  if (capability == nullptr) throw RangeError(who + ": cannot " + what);
  return *capability;
}

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
  /// It has been looked at, and is not over.
  virtual void act(Lines& /*lines*/) {}
};

class Verb {
 public:
  virtual ~Verb() = default;
  /// What is known when it has been carried out. @throws RangeError when it cannot be
  virtual void foresee(const Rig& rig, const Statement& statement, Foreseen& known) const = 0;
  /// Whether its length can be told ahead.
  [[nodiscard]] virtual bool has_known_length() const { return false; }
  /// In whose name it stands in a record; "": motions tell of themselves.
  [[nodiscard]] virtual std::string told_of(const Rig& /*rig*/) const { return {}; }
  /// @return what is waited for; null when it is done at once. @throws RangeError when it is refused
  [[nodiscard]] virtual std::unique_ptr<Doing> begin(const Stage& stage) const = 0;
};

/// A word that a statement begins with.
struct VerbWord {
  std::string_view word{};
  /// Reads what follows; a mechanism that it names is kept in the statement too. @throws Wrong
  std::unique_ptr<Verb> (*read)(LineReader& reader, Statement& statement) = nullptr;
};
/// Those that are objects of their own.
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

}  // namespace cogstride
