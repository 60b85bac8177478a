#include "cogstride/report/bus_report.hpp"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

namespace cogstride {
namespace {

std::string whose(const Rig& rig, int id) {
  for (const Mechanism& each : rig.mechanisms)
    if (const auto* const wiring = std::get_if<BusWiring>(&each.wiring);
        wiring != nullptr && wiring->id == id)
      return each.name;
  return "";
}

}  // namespace

std::string bus_text(const Rig& rig, const std::vector<IdScan::Found>& found,
                     const std::vector<std::string>& wrong) {
  const FieldBus& bus = *rig.controller.bus;
  std::string text = fmt::format(
      "{}: {} on it\n", bus.interface_name,
      found.empty() ? "nobody is"
                    : fmt::format("{} {}", found.size(), found.size() == 1 ? "answers" : "answer"));
  if (!found.empty())
    text += fmt::format("\n  {:>4}  {:<26} {:>10} {:>10} {:>10}  {}\n", "id", "is", "vendor", "product",
                        "serial", "of the rig");
  const auto number = [](const std::optional<std::int64_t>& value) {
    return value ? std::to_string(*value) : "unknown";
  };
  for (const IdScan::Found& each : found) {
    const std::string is =
        each.is_drive() ? "a drive of the profile" : fmt::format("of profile {}", each.device_type & 0xffff);
    const std::string name = whose(rig, each.id);
    text += fmt::format("  {:>4}  {:<26} {:>10} {:>10} {:>10}  {}\n", each.id,
                        each.is_twice ? is + ", TWICE" : is, number(each.vendor), number(each.product),
                        number(each.serial_number), name.empty() ? "nobody's" : name);
  }
  text += "\n";
  for (const std::string& line : wrong) text += line + "\n";
  if (wrong.empty()) text += "all drives of the rig are there, each as it says\n";
  return text;
}

std::string bus_json(const Rig& rig, const std::vector<IdScan::Found>& found,
                     const std::vector<std::string>& wrong) {
  nlohmann::ordered_json json;
  json["interface"] = rig.controller.bus->interface_name;
  json["found"] = nlohmann::ordered_json::array();
  for (const IdScan::Found& each : found) {
    nlohmann::ordered_json one{{"id", each.id},
                               {"device_type", each.device_type},
                               {"is_drive", each.is_drive()},
                               {"is_twice", each.is_twice}};
    if (each.vendor) one["vendor"] = *each.vendor;
    if (each.product) one["product"] = *each.product;
    if (each.revision) one["revision"] = *each.revision;
    if (each.serial_number) one["serial_number"] = *each.serial_number;
    if (const std::string name = whose(rig, each.id); !name.empty()) one["mechanism"] = name;
    json["found"].push_back(std::move(one));
  }
  json["wrong"] = wrong;
  return json.dump(2) + "\n";
}

}  // namespace cogstride
