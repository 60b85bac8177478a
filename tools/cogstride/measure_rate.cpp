#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cstdio>
#include <memory>

#include "cogstride/port/byte_stream.hpp"
#include "cogstride/port/gpio_port.hpp"
#include "cogstride/port/null_port.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/report/rate_report.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/study/measure_link.hpp"
#include "cogstride/study/measure_rate.hpp"
#include "commands.hpp"
#include "progress.hpp"

using namespace cogstride;

namespace {

/// A line that pulses may go out on without moving anything.
void require_free(const Rig& rig, std::int64_t number) {
  for (const RigLine& line : rig_lines(rig)) {
    if (line.number == number)
      throw Error(fmt::format("--line {}: is {} of {}; name one that nothing is wired to", number, line.use,
                              line.owner));
  }
}

Time time_of_each(const MeasureRateOptions& options) {
  const Time each = parse_quantity<Time>(options.each);
  if (!(each.base() >= 0.1 && each.base() <= 3600.0))
    throw Error(fmt::format("--each {}: a trial lasts 0.1 s to 1 h", options.each));
  return each;
}

/// Where a small chip plays the lines, this computer's pulses say nothing: the line to it does.
ExitStatus run_measure_link(const MeasureRateOptions& options, const Rig& rig) {
  const Controller& controller = rig.controller;
  if (options.line >= 0)
    throw Error(
        fmt::format("--line {}: the lines are the chip's, behind {}; its rate is counted when its program "
                    "is made (`cogstride export --firmware --link`)",
                    options.line, controller.link->port));
  const Time each = time_of_each(options);
  const auto stream = open_byte_stream(controller.link->port, controller.small_chip->serial_baud);
  const LinkResult result = measure_link(*stream, controller, link_map(rig), each);
  const std::string text = options.json ? link_json(result) : link_text(result);
  std::fputs(text.c_str(), stdout);
  if (result.answers == 0) return ExitStatus::something_is_wrong;
  if (options.keep)
    return run_change({options.rig, "controller.link.delay",
                       fmt::format("\"{:.0f} ms\"", 1e3 * result.proposed), options.json});
  return result.holds() ? ExitStatus::done : ExitStatus::something_is_wrong;
}

}  // namespace

ExitStatus run_measure_rate(const MeasureRateOptions& options) {
  const Rig rig = read_rig(options.rig);
  const Controller& controller = rig.controller;
  if (controller.link) return run_measure_link(options, rig);
  RateOrder order;
  order.clock = controller.timer_clock;
  order.bound = controller.edge_lateness;
  order.each = time_of_each(options);
  std::unique_ptr<LinePort> port = std::make_unique<NullPort>();
  std::string on = "no line (this computer's clock and wake-ups alone)";
  if (options.line >= 0) {
    require_free(rig, options.line);
    order.line = static_cast<LineId>(options.line);
    LineSetup line;
    line.id = order.line;
    line.name = "rate";
    line.use = LineSetup::Use::pulses;
    port = std::make_unique<GpioPort>(controller, std::vector{line}, std::map<LineId, Pull>{},
                                      std::vector<LineId>{}, fmt::format("cogstride {}", getpid()));
    on = fmt::format("line {}", options.line);
  }
  ProgressLine progress;
  RateResult result = measure_rate(*port, order, [&](const RateTrial& trial) {
    if (progress.is_due())
      progress.say(fmt::format("{} {}", rate_words(trial.rate), trial.holds() ? "holds" : "fails"));
  });
  progress.clear();
  result.on = on;
  const double rig_rate = controller.top_step_rate.base().to_double();
  const std::string text = options.json ? rate_json(result, rig_rate) : rate_text(result, rig_rate);
  std::fputs(text.c_str(), stdout);
  if (result.highest <= 0.0) return ExitStatus::something_is_wrong;
  if (options.keep)
    return run_change({options.rig, "controller.top_step_rate",
                       fmt::format("\"{}\"", rate_words(result.highest)), options.json});
  return ExitStatus::done;
}
