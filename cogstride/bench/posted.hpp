// What became of an order that was posted from another thread.
#pragma once

#include <memory>

#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

/// May be asked by any thread. Nothing happens to the order when it is dropped.
class Posted {
 public:
  struct State;
  explicit Posted(std::shared_ptr<State> state) : state_(std::move(state)) {}

  /// Whether it was carried out or refused.
  [[nodiscard]] bool is_done() const;
  /// Until it is done. @throws what refused it: RangeError, also where the bench was closed
  void wait() const;
  /// The same for so long at the most, in the clock's time. @return whether it was carried out
  [[nodiscard]] bool wait_for(Time most) const;

 private:
  std::shared_ptr<State> state_;
};

}  // namespace cogstride
