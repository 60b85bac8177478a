#include <fmt/format.h>
#include <fmt/ranges.h>

#include <cstdio>
#include <filesystem>

#include "cogstride/files/output_file.hpp"
#include "cogstride/quantity/error.hpp"
#include "cogstride/rig/files/new_rig.hpp"
#include "commands.hpp"

using namespace cogstride;

namespace {

struct Halves {
  std::string left;
  std::string right;
};

Halves split(const std::string& text, char at, const std::string& message) {
  const std::size_t found = text.find(at);
  if (found == std::string::npos || found == 0 || found + 1 == text.size()) throw Error(message);
  return {text.substr(0, found), text.substr(found + 1)};
}

std::string without_blanks(const std::string& text) {
  const std::size_t begin = text.find_first_not_of(' ');
  return begin == std::string::npos ? "" : text.substr(begin, text.find_last_not_of(' ') - begin + 1);
}

NewRigOrder order_of(const NewOptions& options) {
  NewRigOrder order;
  order.name = options.name;
  for (const std::string& text : options.mechanisms) {
    const Halves halves = split(
        text, '=', fmt::format("--mechanism {}: write it as \"traverse=bipolar stepper, STEP/DIR\"", text));
    const std::size_t comma = halves.right.find(',');
    order.mechanisms.push_back(
        {halves.left, without_blanks(halves.right.substr(0, comma)),
         comma == std::string::npos ? "" : without_blanks(halves.right.substr(comma + 1))});
  }
  for (const std::string& text : options.sensors) {
    const std::string message = fmt::format("--sensor {}: write it as \"traverse.gate=optical gate\"", text);
    const Halves halves = split(text, '=', message);
    const Halves place = split(halves.left, '.', message);
    order.sensors.push_back({place.left, place.right, without_blanks(halves.right)});
  }
  for (const std::string& text : options.hands) {
    const Halves halves =
        split(text, '=', fmt::format("--hand {}: write it as \"halt=emergency stop\"", text));
    order.hands.push_back({"", halves.left, without_blanks(halves.right)});
  }
  return order;
}

}  // namespace

ExitStatus run_new(const NewOptions& options) {
  const std::string text = new_rig_text(order_of(options));
  if (!options.overwrite && std::filesystem::exists(options.file))
    throw Error(fmt::format("{}: is there already; --overwrite replaces it", options.file));
  OutputFile file(options.file,
                  options.overwrite ? OutputFile::Existing::replaced : OutputFile::Existing::refused);
  file.write(text);
  file.commit();
  std::printf("%s written: put in your own figures, then  cogstride inspect %s\n", options.file.c_str(),
              options.file.c_str());
  return ExitStatus::done;
}

ExitStatus run_add(const NewOptions& options) {
  ChangedFile rig(options.file);
  const NewRigOrder order = order_of(options);
  if (order.mechanisms.empty() && order.hands.empty()) throw Error("add: say what, by --mechanism or --hand");
  rig.replace(added_rig_text(rig.text(), options.file, order));
  std::vector<std::string> names;
  for (const NewRigOrder::Mechanism& each : order.mechanisms) names.push_back(each.name);
  for (const NewRigOrder::Part& each : order.hands) names.push_back(each.name);
  std::printf("%s: has %s now: put in your own figures, then  cogstride inspect %s\n", options.file.c_str(),
              fmt::format("{}", fmt::join(names, ", ")).c_str(), options.file.c_str());
  return ExitStatus::done;
}
