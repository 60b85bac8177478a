// What a follower may follow: a place in whole counts, and what is known of it between two of them.
#pragma once

#include <cstdint>
#include <optional>
#include <span>

#include "cogstride/lines/lines.hpp"
#include "cogstride/quantity/ratio.hpp"

namespace cogstride {

class IndexCheck;

class PlaceSource {
 public:
  virtual ~PlaceSource() = default;
  /// Asks for what it needs; called again when the lines have been cut.
  virtual void begin(Lines&) {}
  /// @return whether something new was read
  virtual bool take(Tick /*now*/, std::span<const Reading>) { return false; }
  /// Whether its count is known.
  [[nodiscard]] virtual bool is_known() const { return true; }
  /// Exact, as it is now.
  [[nodiscard]] virtual std::int64_t count(Tick now) const = 0;
  /// Counts by which it is beyond count(now) at an instant now or later, as far as can be told.
  [[nodiscard]] virtual double beyond(Tick now, Tick at) const = 0;
  /// Counts/s at that instant, signed; 0 when it is known to stand on its count.
  [[nodiscard]] virtual double speed(Tick now, Tick at) const = 0;
  /// The instant that count(now) is of: where a reading comes late, some time ago.
  [[nodiscard]] virtual Tick known_at(Tick now) const { return now; }
  /// Whether it tells of what is to come, and not only of what was.
  [[nodiscard]] virtual bool is_planned() const = 0;
  /// The count at place 0 of its output.
  [[nodiscard]] virtual std::int64_t zero() const { return 0; }
  /// Line A of the encoder that counts it; nothing where no counter does.
  [[nodiscard]] virtual std::optional<LineId> counted_at() const { return std::nullopt; }
  /// What holds its count against an index; null where nothing does.
  [[nodiscard]] virtual IndexCheck* index() { return nullptr; }
};

/// Of a mover whose place follows from what it is told: its steps.
class Commanded {
 public:
  virtual ~Commanded() = default;
  /// Steps since the lines were opened, as it stands now.
  [[nodiscard]] virtual std::int64_t commanded_step(Tick now) const = 0;
  /// Where it will be at an instant now or later by what is planned, beyond commanded_step(now), and how
  /// fast, steps/s.
  struct Ahead {
    double steps = 0.0;
    double speed = 0.0;
  };
  [[nodiscard]] virtual Ahead commanded(Tick now, Tick at) const = 0;
  /// Steps of a turn or a metre of its output.
  [[nodiscard]] virtual Ratio commanded_per_base() const = 0;
  /// The step at place 0 of its output, as far as that is known.
  [[nodiscard]] virtual std::int64_t step_at_zero() const { return 0; }
};

class CommandedPlace final : public PlaceSource {
 public:
  /// @param leader  must outlive it
  explicit CommandedPlace(const Commanded& leader) : leader_(leader) {}
  [[nodiscard]] std::int64_t count(Tick now) const override { return leader_.commanded_step(now); }
  [[nodiscard]] double beyond(Tick now, Tick at) const override { return leader_.commanded(now, at).steps; }
  [[nodiscard]] double speed(Tick now, Tick at) const override { return leader_.commanded(now, at).speed; }
  [[nodiscard]] bool is_planned() const override { return true; }
  [[nodiscard]] std::int64_t zero() const override { return leader_.step_at_zero(); }

 private:
  const Commanded& leader_;
};

}  // namespace cogstride
