#include "cogstride/rig/findings/findings.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <iterator>
#include <tuple>

#include "cogstride/rig/figures/figure_rows.hpp"
#include "cogstride/rig/findings/finding_sheet.hpp"
#include "cogstride/rig/validate.hpp"

namespace cogstride {

/// Of the key, or of the nearest table above it that has a place.
SourcePlace FindingSheet::place_of(std::string key) const {
  while (true) {
    const auto place = rig_.places.find(key);
    if (place != rig_.places.end()) return place->second;
    const std::size_t dot = key.rfind('.');
    if (dot == std::string::npos) return {"", 0, 0};
    key.erase(dot);
  }
}

namespace {

/// "traverse" of "mechanism.traverse.board.current"; empty for what belongs to no mechanism.
std::string mechanism_of(const std::string& key) {
  const std::string head = "mechanism.";
  if (key.rfind(head, 0) != 0) return "";
  return key.substr(head.size(), key.find('.', head.size()) - head.size());
}

}  // namespace

void FindingSheet::add(const char* code, const std::string& key, std::string what, std::string way_out) {
  found_.findings.push_back({code, finding_kind(code).severity, mechanism_of(key), place_of(key),
                             std::move(what), std::move(way_out)});
}

void FindingSheet::cannot_check(const char* code, const std::string& key) {
  const auto same = [&](const Unchecked& u) { return u.code == code && u.needs == key; };
  if (std::any_of(found_.unchecked.begin(), found_.unchecked.end(), same)) return;
  found_.unchecked.push_back({code, mechanism_of(key), key});
}

std::string MechanismSheet::output_text(double base, int per_time) const {
  if (per_time == 1) return speed_text(mechanism, base);
  return fmt::format("{:.4g} {}", base * display_units_per_base(kind), display_unit(kind, per_time));
}

bool Inspection::is_sound() const {
  return std::all_of(findings.begin(), findings.end(),
                     [](const Finding& f) { return f.severity == Severity::note; });
}

Inspection about(const Inspection& inspection, const std::string& mechanism) {
  Inspection some;
  const auto is_about = [&](const auto& found) { return found.mechanism == mechanism; };
  std::copy_if(inspection.findings.begin(), inspection.findings.end(), std::back_inserter(some.findings),
               is_about);
  std::copy_if(inspection.unchecked.begin(), inspection.unchecked.end(), std::back_inserter(some.unchecked),
               is_about);
  return some;
}

Inspection inspect_rig(const Rig& rig) {
  validate(rig);
  Inspection found;
  FindingSheet sheet(rig, found);
  check_lines(rig, sheet);
  check_channels(rig, sheet);
  check_supplies(rig, sheet);
  check_shared(rig, sheet);
  for (const Mechanism& mechanism : rig.mechanisms) {
    MechanismSheet own(sheet, rig, mechanism);
    check_wiring(own);
    check_supply(own);
    check_settings(own);
    check_timing(own);
    check_motion(own);
    check_switches(own);
    check_heat(own);
  }
  check_hands(rig, sheet);
  check_devices(rig, sheet);
  check_link(rig, sheet);
  check_bus(rig, sheet);
  std::stable_sort(found.findings.begin(), found.findings.end(), [](const Finding& a, const Finding& b) {
    return std::tie(a.place.line, a.place.column) < std::tie(b.place.line, b.place.column);
  });
  return found;
}

}  // namespace cogstride
