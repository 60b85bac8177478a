// Devices that hands are heard by: ports and names that two have, buses, events that come too soon, holds
// that nobody ends.
#include <fmt/format.h>

#include <algorithm>

#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/findings/finding_sheet.hpp"

namespace cogstride {
namespace {

/// Each of them has its own. @param what  of one: "/dev/ttyS0"; "": none @param key  "port"
template <class Part, class What>
void check_own(const std::vector<Part>& parts, const char* table, const char* key, What what,
               const char* way_out, FindingSheet& sheet) {
  for (std::size_t i = 0; i < parts.size(); ++i)
    for (std::size_t before = 0; before < i; ++before) {
      if (what(parts[i]).empty() || what(parts[i]) != what(parts[before])) continue;
      sheet.add("heard-by-another", fmt::format("{}.{}.{}", table, parts[i].name, key),
                fmt::format("{} is {}'s already: what it says would be heard by one of them alone",
                            what(parts[i]), parts[before].name),
                way_out);
      break;
    }
}

void check_bus(const BusSensor& sensor, FindingSheet& sheet) {
  const std::string path = "bus_sensor." + sensor.name;
  if (!sensor.top_bus_speed)
    sheet.cannot_check("bus-too-fast", path + ".top_bus_speed");
  else if (sensor.top_bus_speed->base() < sensor.bus_speed.base())
    sheet.add("bus-too-fast", path + ".bus_speed",
              fmt::format("the bus runs at {}, and {} stands {}", to_text(sensor.bus_speed, "kHz"),
                          sensor.name, to_text(*sensor.top_bus_speed, "kHz")),
              fmt::format("the bus at {} or less", to_text(*sensor.top_bus_speed, "kHz")));
  const Time by = sensor.read_by();
  if (sensor.least_between == Time())
    sheet.cannot_check("events-missed", path + ".least_between");
  else if (sensor.least_between < by)
    sheet.add(
        "events-missed", path + ".least_between",
        fmt::format("its events come {} apart at the soonest, and one is read {} after it has happened: the "
                    "first of two would be missed",
                    to_text(sensor.least_between, "ms"), to_text(by, "ms")),
        fmt::format("a setting by which it tells them {} apart or more", to_text(by, "ms")));
}

/// One that is latched goes on with nobody's hand on it.
void check_latched(const Binding& binding, FindingSheet& sheet) {
  if (!binding.latched || !binding.on || !binding.on->starts_with("jog ")) return;
  sheet.add(
      "hold-without-end", "binding." + binding.name + ".latched",
      fmt::format("'{}' is a hold, and latched it would go on with nobody's hand on it, until {} is pressed "
                  "again",
                  *binding.on, binding.control),
      "without `latched` it ends when it is let go; `spin ... until stopped` is an order that goes on");
}

}  // namespace

void check_devices(const Rig& rig, FindingSheet& sheet) {
  check_own(
      rig.devices, "device", "port", [](const Device& each) { return each.port; }, "a port of its own",
      sheet);
  check_own(
      rig.input_devices, "input_device", "called", [](const InputDevice& each) { return each.called; },
      "both in one [input_device.NAME]", sheet);
  check_own(
      rig.bus_sensors, "bus_sensor", "address",
      [](const BusSensor& each) { return fmt::format("address {:#04x} of {}", each.address, each.bus); },
      "another address, or another bus", sheet);
  for (const BusSensor& sensor : rig.bus_sensors) check_bus(sensor, sheet);
  for (const Binding& binding : rig.bindings) check_latched(binding, sheet);
}

}  // namespace cogstride
