#include "cogstride/study/measure_rate.hpp"

#include <gtest/gtest.h>

#include "cogstride/port/null_port.hpp"

namespace cogstride::measure_rate_test {
namespace {

RateOrder quick_order() {
  RateOrder order;
  order.clock = ExactFrequency::from_base(Ratio(48'000'000));
  order.bound = Time(0.02, units::s);
  order.each = Time(0.1, units::s);
  order.lowest = 100.0;
  order.top = 20'000.0;
  return order;
}

/// Every write takes 200 us, as on a slow bus.
class SlowPort final : public LinePort {
 public:
  [[nodiscard]] std::int64_t now_ns() override { return inner_.now_ns(); }
  void write(std::span<const Level>) override {
    const std::int64_t until = now_ns() + 200'000;
    while (now_ns() < until) {
    }
  }
  RestOutcome rest() noexcept override { return {}; }
  [[nodiscard]] bool read(LineId) override { return false; }
  void take_edges(std::vector<PortEdge>&) override {}
  void sleep_until(std::int64_t ns) override { inner_.sleep_until(ns); }
  void wake() noexcept override { inner_.wake(); }

 private:
  NullPort inner_;
};

TEST(MeasuredRate, FindsWhereASlowBusCannotFollow) {
  SlowPort port;
  std::size_t told = 0;
  RateOrder order = quick_order();
  order.bound = Time(0.004, units::s);
  const RateResult result = measure_rate(port, order, [&](const RateTrial&) { ++told; });
  EXPECT_EQ(told, result.trials.size());
  EXPECT_LE(result.highest, 2600.0) << "two writes a pulse: 2.5 kHz at the very most";
  EXPECT_FALSE(result.trials.back().holds() && result.trials.back().rate > 2600.0);
  bool has_failed = false;
  for (const RateTrial& trial : result.trials) {
    if (trial.holds()) {
      EXPECT_LE(trial.late_worst, order.bound.base());
      EXPECT_LE(trial.late_99, trial.late_worst);
    } else {
      has_failed = true;
      EXPECT_GT(trial.late_worst, order.bound.base());
    }
  }
  EXPECT_TRUE(has_failed);
}

TEST(MeasuredRate, GoesToTheTopWhereNothingIsInTheWay) {
  NullPort port;
  // A computer that is busy at a bad moment shows nothing: then it is tried again.
  RateResult result;
  for (int tries = 0; tries < 20 && (result.highest < 12'800.0 || result.trials.back().edges < 2 * 1280);
       ++tries)
    result = measure_rate(port, quick_order());
  EXPECT_EQ(result.highest, 12'800.0) << "100 Hz doubled as long as it is below the top";
  const RateTrial& last = result.trials.back();
  EXPECT_GE(last.edges, 2 * 1280) << "a tenth of a second of them";
}

}  // namespace
}  // namespace cogstride::measure_rate_test
