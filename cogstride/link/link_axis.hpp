// What a chip has been given to play on one axis, and what it has still to be given: the computer's mirror of
// its rings. So what is taken back is known at once, without asking.
//
// Steps and silent ones are counted together as the chip counts them: "elements".
#pragma once

#include <cstdint>
#include <deque>
#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "cogstride/chip/pulse_run.hpp"
#include "cogstride/chip/ramp_maker.hpp"
#include "cogstride/lines/events.hpp"

namespace cogstride {

class LinkAxis {
 public:
  /// Runs of one order.
  struct Order {
    FineTick start{};         ///< of the first that bridges nothing
    std::uint8_t bridge = 0;  ///< so many of them bridge from the end of those before
    std::uint8_t stop = 0;    ///< a line's code and 1, 0x80: at its rising edge; 0: none
    std::vector<chip::NarrowPulseRun> runs{};
  };

  /// @param ticks_per_second  so long a pause is begun anew on the chip, once it stands
  explicit LinkAxis(double ticks_per_second)
      : ticks_per_second_(ticks_per_second), long_pause_(static_cast<Tick>(ticks_per_second)) {}

  void put(FineTick start, std::span<const chip::PulseRun> runs, std::uint8_t stop);
  /// The same, of runs that an edge brakes which the chip has been told of.
  void put_to_brake(FineTick start, std::span<const chip::PulseRun> runs, const chip::ChipLimits& limits);
  /// It has: from that step on it goes to rest on a ramp. @return false: it does not come to that step
  [[nodiscard]] bool brakes_from(std::int64_t place);
  /// What is to go out next. @param room  runs that the chip takes; @return nothing: none now
  [[nodiscard]] std::optional<Order> next(std::size_t room);
  /// Whether anything waits to go out.
  [[nodiscard]] bool waits() const { return sent_ < pieces_.size(); }
  /// Whether the chip has, or will have, something to play at or behind that instant.
  [[nodiscard]] bool plays(Tick at) const;

  /// Takes back all that begins at `from` or later.
  /// @param stays  elements that the chip keeps, if it has been sent more; nothing: it has not
  Withdrawn take_back(Tick from, std::optional<std::uint32_t>& stays);
  /// The chip stands, and says where.
  void stands() { stands_ = true; }
  [[nodiscard]] bool is_standing() const { return stands_; }
  /// An edge brakes it, or has.
  [[nodiscard]] bool brakes() const { return brakes_; }
  /// It stands there, whatever it was to do; everything is dropped.
  void stopped_at(std::int64_t place, Tick last_pulse);
  /// All begins anew, as of a cut: it counts from none.
  void begin_anew(std::int64_t place);
  /// Elements that it has been sent.
  [[nodiscard]] std::uint32_t sent() const { return static_cast<std::uint32_t>(sent_elements_); }

  /// Net steps before an instant. @param last_pulse  of them
  [[nodiscard]] std::int64_t steps_before(Tick at, Tick* last_pulse = nullptr) const;
  /// What it makes from an instant up to another one, step by step.
  void each_step(Tick from, Tick to, const std::function<void(Tick, bool backwards)>& step) const;
  /// Where all that was put leads to.
  [[nodiscard]] std::int64_t leads_to() const { return leads_to_; }
  [[nodiscard]] FineTick end() const { return end_; }
  /// Forgets what is over by then.
  void forget(Tick before);

 private:
  struct Piece {
    FineTick start{};
    FineTick end{};
    chip::NarrowPulseRun run{};
    bool bridges = false;
    bool waits_for_rest = false;  // it begins on the chip when that stands
    std::uint8_t stop = 0;
  };
  void put(FineTick start, std::span<const chip::PulseRun> runs, std::uint8_t stop, std::uint8_t flags);
  void add(Piece piece);
  [[nodiscard]] static std::int64_t way_of(const chip::NarrowPulseRun& run);

  double ticks_per_second_;
  Tick long_pause_;
  chip::ChipLimits ramp_{1, 1, 1};
  bool brakes_ = false;  // at an edge, and nothing has been put since
  bool is_told_ = true;  // of that: before, what is put does not count
  std::deque<Piece> pieces_{};
  std::size_t sent_ = 0;            // of them
  std::int64_t sent_elements_ = 0;  // since all began
  std::int64_t made_ = 0;           // net, before the first of them
  Tick last_pulse_ = 0;             // of those made
  std::int64_t leads_to_ = 0;
  FineTick end_{-never / 2, 0};
  bool stands_ = true;
};

}  // namespace cogstride
