// A follower whose loop goes by counts: what it follows becomes what is wanted of the loop.
#pragma once

#include <memory>
#include <span>
#include <utility>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/motion/gearing/follow.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/motion/speed/speed_hold.hpp"

namespace cogstride {

class HeldFollow {
 public:
  /// @param counts_per_base  of what counts for the loop, for a metre or a turn of the output
  [[nodiscard]] static Follower follower(const Mechanism& mechanism, const SpeedHold& hold,
                                         Ratio counts_per_base);

  void begin(std::unique_ptr<Follow> follow, Lines& lines) {
    follow_ = std::move(follow);
    last_ = follow_;
    follow_->gear().begin(lines);
  }
  void end() { follow_.reset(); }
  [[nodiscard]] Follow* following() const { return follow_.get(); }
  [[nodiscard]] Tick next_look() const { return follow_ ? follow_->gear().next_look() : never; }
  void add_to(MoverVerdict& verdict) const {
    if (last_) last_->add_to(verdict);
  }

  /// Looks at its leaders anew; lets go, or halts, when it is over or has failed.
  /// @param from  the instant from which on something can be done
  void look(Lines& lines, std::span<const Reading> readings, Tick from, SpeedHold& hold, Mover& its);

 private:
  std::shared_ptr<Follow> follow_{};
  std::shared_ptr<Follow> last_{};
};

}  // namespace cogstride
