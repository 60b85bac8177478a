// How a motor was driven so far: the highest duty, for how long, and which way it turned last.
#pragma once

#include <algorithm>
#include <cmath>

#include "cogstride/lines/events.hpp"

namespace cogstride {

class DutyRecord {
 public:
  /// A duty is put, -1 to 1. @param turns  whether it is enough to turn it
  void put(Tick now, double duty, bool turns) {
    highest_ = std::max(highest_, std::abs(duty));
    count(now, duty != 0.0);
    if (duty == 0.0 || !turns) return;
    turned_until_ = now;
    way_ = duty < 0.0 ? -1 : 1;
  }
  /// From now on there is none. @param was_driven  until now
  void end(Tick now, bool was_driven) {
    if (was_driven) turned_until_ = now;
    count(now, false);
  }

  [[nodiscard]] double highest() const { return highest_; }
  [[nodiscard]] Tick driven() const { return driven_; }
  /// Since it was driven the other way than this duty drives it; nothing of that: `never`.
  [[nodiscard]] Tick since_other_way(Tick now, double duty) const {
    return way_ * duty < 0.0 ? now - turned_until_ : never;
  }

 private:
  void count(Tick now, bool is_driven) {
    if (since_ != never) driven_ += now - since_;
    since_ = is_driven ? now : never;
  }

  double highest_ = 0.0;
  Tick driven_ = 0;
  Tick since_ = never;
  Tick turned_until_ = -never;
  int way_ = 0;
};

}  // namespace cogstride
