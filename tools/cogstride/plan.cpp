#include <fmt/format.h>

#include <cstdio>

#include "cogstride/bench/trace_plan.hpp"
#include "cogstride/report/reports.hpp"
#include "cogstride/rig/read_rig.hpp"
#include "commands.hpp"
#include "outputs.hpp"

using namespace cogstride;

namespace {

/// An option's amount; messages say which option.
template <int PerTime>
OutputAmount<PerTime> amount_of(const char* option, const std::string& text) {
  try {
    return parse_output<PerTime>(text);
  } catch (const Error& error) {
    throw Error(fmt::format("{}: {}", option, error.what()));
  }
}

FigureContent figure_content(const PlanFigures& figures) {
  FigureContent content;
  content.title =
      fmt::format("{}: {} to {} in {:.3f} s", figures.mechanism, figures.from, figures.to, figures.duration);
  content.lines_of = figures.mechanism;
  content.position = {{0, "planned", "#1f5fa8"}};
  content.speed = {{1, "planned", "#1f5fa8"}};
  content.position_unit = figures.unit;
  content.speed_unit = figures.unit + "/s";
  return content;
}

}  // namespace

Status run_plan(const PlanOptions& options) {
  const Rig rig = read_rig(options.rig);
  const Mechanism& mechanism = mechanism_named(rig, options.mechanism);
  MoveOrder order;
  order.to = amount_of<0>("--to", options.to);
  if (!options.speed.empty()) order.speed = amount_of<1>("--speed", options.speed);
  if (!options.acceleration.empty())
    order.acceleration = amount_of<2>("--acceleration", options.acceleration);
  OutputPosition from{output_kind(mechanism.train), 0};
  if (!options.from.empty()) {
    from = target_of(mechanism, from, {.to = amount_of<0>("--from", options.from)});
  }
  const MovePlan plan = plan_move(mechanism, rig.controller, from, order);
  const PlanFigures figures = figures_of(rig, mechanism, plan);

  Outputs outputs(options.outputs, mechanism, 1);
  trace_plan(rig, mechanism.name, plan, outputs.sink());
  outputs.draw(figure_content(figures));

  const std::string report = options.json ? plan_json(figures) : plan_text(figures);
  std::fputs(report.c_str(), stdout);
  return Status::done;
}
