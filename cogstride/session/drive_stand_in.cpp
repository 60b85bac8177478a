#include "cogstride/session/drive_stand_in.hpp"

#include <fmt/format.h>
#include <poll.h>

#include <algorithm>
#include <utility>

#include "cogstride/bench/simulated/world_events.hpp"
#include "cogstride/mechanism/output.hpp"
#include "cogstride/plant/bus/bus_drive_plant.hpp"
#include "cogstride/port/bell.hpp"
#include "cogstride/port/can_socket.hpp"

namespace cogstride {
namespace {

constexpr BusId stood_in_bus{0};
constexpr int look_each_ms = 1;

}  // namespace

struct DriveStandIn::Inside {
  struct StoodIn {
    const Mechanism* mechanism;
    std::unique_ptr<BusDrivePlant> plant;
    DriveState told = DriveState::switch_on_disabled;
  };

  Inside(const Rig& of, std::string interface_name)
      : rig(of), name(std::move(interface_name)), socket(stood_in_bus, name, {}, false) {}

  [[nodiscard]] Tick tick_of(std::int64_t ns) const {
    return static_cast<Tick>(1e-9 * static_cast<double>(ns - began) * ticks_per_second);
  }
  /// Time goes on for all of them.
  void pass(Tick now) {
    for (Inside::StoodIn& each : all) {
      while (each.plant->at() < now) (void)each.plant->advance(now);
      each.plant->pass();
    }
  }
  /// What they have to say by now goes out, and the others hear it.
  void speak(Tick now) {
    for (Inside::StoodIn& each : all)
      while (each.plant->next() <= now) {
        const Frame frame = each.plant->say(now);
        socket.send(frame);
        for (Inside::StoodIn& other : all)
          if (&other != &each) static_cast<BusNode&>(*other.plant).hear(now, frame);
      }
  }

  const Rig rig;
  const std::string name;
  CanSocket socket;
  double ticks_per_second = 1e6;
  std::int64_t began = 0;
  std::vector<StoodIn> all{};
};

DriveStandIn::DriveStandIn(const Rig& rig, const std::vector<std::string>& only,
                           const std::vector<OutsideEvent>& events) {
  if (!rig.controller.bus) throw RangeError("the rig has no bus (controller.bus) with drives on it");
  std::vector<std::string> on_it;
  for (const Mechanism& each : rig.mechanisms)
    if (std::holds_alternative<BusDrive>(each.board)) on_it.push_back(each.name);
  for (const std::string& wanted : only)
    if (std::find(on_it.begin(), on_it.end(), wanted) == on_it.end())
      throw RangeError(
          fmt::format("{}: no drive on the bus has that name; there are {}", wanted, fmt::join(on_it, ", ")));
  const WorldEvents world = world_events(rig, rig, events);
  inside_ = std::make_unique<Inside>(rig, rig.controller.bus->interface_name);
  inside_->ticks_per_second = rig.controller.timer_clock.base().to_double();
  for (const Mechanism& each : inside_->rig.mechanisms) {
    if (!std::holds_alternative<BusDrive>(each.board)) continue;
    if (!only.empty() && std::find(only.begin(), only.end(), each.name) == only.end()) continue;
    ShaftPlant::Setup setup;
    setup.clock = rig.controller.timer_clock;
    setup.events = world.of_mechanism(each.name);
    setup.cut_by = switches_that_cut(rig, each.supply);
    inside_->all.push_back({&each, std::make_unique<BusDrivePlant>(each, setup)});
  }
}

DriveStandIn::~DriveStandIn() = default;

std::vector<std::string> DriveStandIn::who() const {
  std::vector<std::string> lines;
  for (const Inside::StoodIn& each : inside_->all)
    lines.push_back(fmt::format("{} is {} on {}", each.mechanism->name,
                                std::get<BusWiring>(each.mechanism->wiring).id, inside_->name));
  return lines;
}

std::vector<std::string> DriveStandIn::sums() const {
  std::vector<std::string> lines;
  for (const Inside::StoodIn& each : inside_->all) {
    const OutputKind kind = output_kind(each.mechanism->train);
    const BusDrivePlant& plant = *each.plant;
    lines.push_back(fmt::format("{}: at {:.2f} {}, {:.2f} {}, {}; {:.2f} A of its motor at the most",
                                each.mechanism->name, display_units_per_base(kind) * plant.way(),
                                display_unit(kind, 0), speed_units_per_base(kind) * plant.speed(),
                                speed_unit(kind), to_text(plant.node().state()), plant.highest_current()));
  }
  return lines;
}

void DriveStandIn::run(const std::function<bool()>& is_over,
                       const std::function<void(const std::string&)>& tell) {
  Inside& inside = *inside_;
  inside.began = monotonic_ns();
  std::vector<PortFrame> came_in;
  pollfd waits{inside.socket.descriptor(), POLLIN, 0};
  while (!is_over()) {
    (void)poll(&waits, 1, look_each_ms);
    came_in.clear();
    inside.socket.take(came_in);
    for (const PortFrame& each : came_in) {
      const Tick at = std::max(inside.tick_of(each.at_ns), inside.all.front().plant->at());
      inside.pass(at);
      for (Inside::StoodIn& drive : inside.all) static_cast<BusNode&>(*drive.plant).hear(at, each.frame);
      inside.speak(at);
    }
    const Tick now = inside.tick_of(monotonic_ns());
    inside.pass(now);
    inside.speak(now);
    for (Inside::StoodIn& each : inside.all) {
      const DriveState state = each.plant->node().state();
      if (state == std::exchange(each.told, state)) continue;
      tell(fmt::format("{:.3f} s {}: {}", static_cast<double>(now) / inside.ticks_per_second,
                       each.mechanism->name, to_text(state)));
    }
  }
}

}  // namespace cogstride
