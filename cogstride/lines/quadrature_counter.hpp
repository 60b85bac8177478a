// A quadrature counter of the simulated controller: follows two lines and an index, through a filter, with
// the decoder that also runs on a chip.
#pragma once

#include <optional>

#include "cogstride/chip/quadrature.hpp"
#include "cogstride/lines/lines.hpp"

namespace cogstride {

class QuadratureCounter {
 public:
  explicit QuadratureCounter(const CounterSetup& setup)
      : setup_(setup), a_(setup.filter), b_(setup.filter), decoder_(setup.edges) {}

  [[nodiscard]] const CounterSetup& setup() const { return setup_; }
  void begin(bool a, bool b) {
    a_.begin(a);
    b_.begin(b);
    decoder_.begin(a, b);
  }
  /// A change of one of its lines.
  void take(LineId line, bool high, Tick at) {
    settle(at);
    if (at - taken_at_ < setup_.least_between) return;
    taken_at_ = at;
    (line == setup_.line_a ? a_ : b_).change(high, at);
    settle(at);
  }
  [[nodiscard]] std::int64_t count(Tick now) {
    settle(now);
    return decoder_.count();
  }
  /// The tick at which it last counted; that of a line's change, whatever the filter.
  [[nodiscard]] Tick counted_at(Tick now) {
    settle(now);
    return counted_at_;
  }
  [[nodiscard]] std::int64_t illegal(Tick now) {
    settle(now);
    return decoder_.illegal();
  }

 private:
  /// Changes that have stood long enough count, in the order in which they came.
  void settle(Tick now) {
    for (;;) {
      const bool a_first = a_.is_waiting() && (!b_.is_waiting() || a_.counts_at() <= b_.counts_at());
      chip::GlitchFilter& first = a_first ? a_ : b_;
      if (!first.settle(now)) return;
      if (decoder_.take(a_.level(), b_.level()) != 0) counted_at_ = first.counts_at() - setup_.filter;
    }
  }

  CounterSetup setup_;
  chip::GlitchFilter a_;
  chip::GlitchFilter b_;
  chip::QuadratureDecoder decoder_;
  Tick counted_at_ = 0;
  Tick taken_at_ = -never / 2;
};

}  // namespace cogstride
