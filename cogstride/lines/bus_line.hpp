// A bus or a serial port as it is on the wire: who sends when, and how long it takes.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <vector>

#include "cogstride/lines/lines.hpp"

namespace cogstride {

/// Somebody else on it: a drive, a sensor.
class BusNode {
 public:
  virtual ~BusNode() = default;
  /// A frame has gone over it, of whomever but itself.
  virtual void hear(Tick at, const Frame& frame) = 0;
  /// When it wants to send next; `never` when it has nothing to say.
  [[nodiscard]] virtual Tick next() const = 0;
  /// With which id.
  [[nodiscard]] virtual std::uint32_t next_id() const = 0;
  /// What it sends now, with what is true now.
  virtual Frame say(Tick now) = 0;
};

/// Bit times of a frame on a bus (ISO 11898-1: a data frame and the three bits behind it, with as many
/// stuffed bits as its checked part can have at the most), or on a serial port (start, eight, stop).
[[nodiscard]] int bits_of(BusSetup::Kind kind, const Frame& frame);

/// The largest id on a bus, 29 bits.
inline constexpr std::uint32_t largest_bus_id = 0x1fffffff;

class BusLine {
 public:
  explicit BusLine(BusSetup setup) : setup_(std::move(setup)) {
    waiting_.reserve(setup_.rest.size() + usual_room);  // a cut fetches nothing
  }
  void attach(BusNode& node) { nodes_.push_back(&node); }
  [[nodiscard]] const BusSetup& setup() const { return setup_; }

  void put(Tick at, const Frame& frame, MechanismId whose);
  /// Takes back what has not begun.
  void withdraw(MechanismId mechanism, Tick from);
  /// Nothing of the controller's waits any more but what is sent at rest; what has begun is ended.
  void come_to_rest(Tick now);

  /// When something happens on it next.
  [[nodiscard]] Tick next() const;
  /// What ends by now is heard by the nodes that did not send it, and what others have sent is appended; then
  /// the next ones begin.
  void happen(Tick now, std::vector<Frame>& came_in);

 private:
  struct Waiting {
    Tick at;
    Frame frame;
    MechanismId whose;
  };
  struct Sent {
    Frame frame{};
    BusNode* by = nullptr;  // null: the controller
  };
  /// A bus has one way for all; a serial port one for the controller and one for the others.
  struct Way {
    std::optional<Sent> on_it{};
    Tick free_at = 0;  // end of what is on it
  };
  [[nodiscard]] bool is_bus() const { return setup_.kind == BusSetup::Kind::bus; }
  [[nodiscard]] Way& way_of_others() { return ways_[is_bus() ? 0 : 1]; }
  void begin(Way& way, Tick now, Sent sent) const;
  void begin_next(Tick now);

  static constexpr std::size_t usual_room = 64;
  BusSetup setup_;
  std::vector<BusNode*> nodes_{};
  std::vector<Waiting> waiting_{};  // in the order in which it was put
  std::array<Way, 2> ways_{};
};

}  // namespace cogstride
