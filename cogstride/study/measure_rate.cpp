#include "cogstride/study/measure_rate.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/bench/live/live_lines.hpp"
#include "cogstride/lines/pulse_queue.hpp"
#include "cogstride/mechanism/ticks.hpp"

namespace cogstride {
namespace {

constexpr double close_enough = 1.1;
constexpr double pulse_seconds = 2e-6;
constexpr double ahead_seconds = 0.02;

class RateMaker {
 public:
  RateMaker(LinePort& port, const RateOrder& order)
      : port_(port),
        order_(order),
        ticks_per_second_(order.clock.base().to_double()),
        bound_(ticks_at_least(order.bound, order.clock)) {}

  RateTrial trial(double rate) {
    LiveLines::Setup setup;
    LineSetup line;
    line.id = order_.line;
    line.name = "rate";
    line.use = LineSetup::Use::pulses;
    line.pulse_width = std::max<Tick>(1, std::llround(pulse_seconds * ticks_per_second_));
    line.settles = line.pulse_width;
    setup.lines = {line};
    setup.clock = order_.clock;
    setup.lead = std::llround(0.005 * ticks_per_second_);
    setup.bound = bound_;
    setup.asks_for_real_time = order_.asks_for_real_time;
    LiveLines lines(setup, port_);
    feed(lines, rate);
    lines.end();
    conditions_ = lines.conditions().words;
    const auto seconds = [&](Tick ticks) { return static_cast<double>(ticks) / ticks_per_second_; };
    const LatenessRecord& late = lines.lateness();
    return {rate, late.edges(), late.beyond(), seconds(late.at_share(0.99)), seconds(late.worst())};
  }
  [[nodiscard]] const std::string& conditions() const { return conditions_; }

 private:
  /// The train, handed out ahead of time as a motion is; it ends early when an edge was too late.
  void feed(LiveLines& lines, double rate) const {
    const auto gap = static_cast<std::uint64_t>(std::llround(ticks_per_second_ / rate * 65'536.0));
    const double steps_per_run = std::clamp(std::floor(rate * ahead_seconds / 2.0), 1.0, 60'000.0);
    const chip::PulseRun run{gap, 0, 0, static_cast<std::uint16_t>(steps_per_run), 0, 0};
    const Tick lasts = std::llround(order_.each.base() * ticks_per_second_);
    const Tick ahead = std::llround(ahead_seconds * ticks_per_second_);
    lines.catch_up();
    FineTick next{lines.now() + 2 * lines.lead(), 0};
    const Tick end = next.tick + lasts;
    std::vector<Reading> nothing;
    while (next.tick < end && !lines.has_trouble()) {
      lines.put(next, order_.line, std::span(&run, 1), {});
      next = end_of_run(next, run);
      lines.wait_until(next.tick - ahead, nothing);
    }
    if (!lines.has_trouble()) lines.wait_until(next.tick + lines.lead(), nothing);
    if (const LiveLines::Trouble trouble = lines.take_trouble(); !trouble.gone.empty())
      throw PortGone(trouble.gone);
  }

  LinePort& port_;
  const RateOrder& order_;
  double ticks_per_second_;
  Tick bound_;
  std::string conditions_;
};

}  // namespace

RateResult measure_rate(LinePort& port, const RateOrder& order,
                        const std::function<void(const RateTrial&)>& told) {
  RateMaker maker(port, order);
  RateResult result;
  result.bound = order.bound.base();
  const auto holds = [&](double rate) {
    for (int tries = 0; tries < 2; ++tries) {
      result.trials.push_back(maker.trial(rate));
      if (told) told(result.trials.back());
      if (result.trials.back().holds()) {
        result.highest = std::max(result.highest, rate);
        return true;
      }
    }
    return false;
  };
  double rate = order.lowest;
  while (rate <= order.top && holds(rate)) rate *= 2.0;
  if (result.highest > 0.0 && rate <= order.top) {
    double too_high = rate;
    while (too_high / result.highest > close_enough) {
      const double between = std::sqrt(too_high * result.highest);
      if (!holds(between)) too_high = between;
    }
  }
  result.conditions = maker.conditions().empty() ? "real-time priority, memory locked" : maker.conditions();
  return result;
}

}  // namespace cogstride
