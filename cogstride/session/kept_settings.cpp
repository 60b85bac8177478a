#include "cogstride/session/kept_settings.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "cogstride/files/output_file.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/files/change_rig.hpp"

namespace cogstride {

std::string keep_settings(const std::string& rig_file, const Rig& rig, const std::vector<SetByHand>& all) {
  ChangedFile file(rig_file);
  std::string text = file.text();
  std::vector<std::string> kept;
  const auto set = [&](const std::string& key, const std::string& value) {
    text = changed_rig_text(text, rig_file, key, value);
    kept.push_back(fmt::format("{} = {}", key, value));
  };
  for (const SetByHand& each : all) {
    const std::string table = "mechanism." + each.mechanism;
    if (each.by_hand.speed) set(table + ".by_hand.speed", to_text(*each.by_hand.speed));
    if (each.by_hand.acceleration) set(table + ".by_hand.acceleration", to_text(*each.by_hand.acceleration));
    if (each.by_hand.nudge) set(table + ".by_hand.nudge", to_text(*each.by_hand.nudge));
    if (each.far_limit)
      set(table + ".limits.travel",
          fmt::format("{{ from = \"{}\", to = \"{}\" }}",
                      to_text(*mechanism_named(rig, each.mechanism).limits.travel_from),
                      to_text(*each.far_limit)));
  }
  file.replace(text);
  return fmt::format("{} has now {}", rig_file, fmt::join(kept, "; "));
}

}  // namespace cogstride
