// One loop that lines close by themselves, in the ticks of a controller: the chip's own code
// (chip/duty_loop.hpp).
#pragma once

#include <span>
#include <vector>

#include "cogstride/lines/lines.hpp"

namespace cogstride {

class LoopPlayer {
 public:
  static constexpr std::uint8_t room = chip::loop_room;

  explicit LoopPlayer(const LoopSetup& setup) : setup_(setup), loop_(setup.loop) {}

  [[nodiscard]] const LoopSetup& setup() const { return setup_; }
  void put(Tick at, chip::LoopWanted wanted);
  void clear() { loop_.clear(); }
  [[nodiscard]] bool is_on() const { return loop_.is_on(); }
  /// When it looks next; `never`: it is off.
  [[nodiscard]] Tick next() const;

  /// What goes to its lines now.
  struct Given {
    std::vector<Level> levels{};
    std::vector<Compare> compares{};
  };
  /// It is due. Where it ends, its lines brake until something else is put on them.
  /// @param count  and the tick at which it came
  Given step(Tick now, std::int64_t count, Tick counted_at);
  [[nodiscard]] LoopTold told() const { return {loop_.duty(), loop_.yielded()}; }

 private:
  LoopSetup setup_;
  chip::DutyLoop<room> loop_;
  Tick known_ = 0;  // an instant close by: its own ticks go round and round
};

/// @param duty  1/32768 of full, below 0: backwards
[[nodiscard]] LoopPlayer::Given given_by(const LoopSetup& setup, std::int32_t duty);

}  // namespace cogstride
