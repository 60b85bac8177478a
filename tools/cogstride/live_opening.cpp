#include "live_opening.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>

#include <algorithm>
#include <cstdio>
#include <filesystem>

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/files/output_file.hpp"
#include "cogstride/session/live_run.hpp"
#include "playing.hpp"

using namespace cogstride;

void require_drivable(const std::string& rig_file, const Rig& rig) {
  require_chips(rig_file, rig);
  const std::vector<LiveObstacle> obstacles = live_obstacles(rig);
  if (obstacles.empty()) return;
  std::string words = fmt::format("{}: not everything in it can be driven on live lines:\n", rig_file);
  std::vector<std::string> others;
  for (const Mechanism& mechanism : rig.mechanisms) {
    const auto is_its = [&](const LiveObstacle& obstacle) { return obstacle.mechanism == mechanism.name; };
    const auto obstacle = std::find_if(obstacles.begin(), obstacles.end(), is_its);
    if (obstacle == obstacles.end()) {
      others.push_back(mechanism.name);
    } else {
      words += fmt::format("  {}: {}\n", mechanism.name, obstacle->why);
    }
  }
  throw Error(words + (others.empty() ? "nothing is left to drive"
                                      : fmt::format("--only {} drives the rest", fmt::join(others, ","))));
}

std::string black_box_of(const std::string& asked, const std::string& usual, bool overwrite,
                         std::span<const std::string> read) {
  if (!asked.empty()) {
    if (!overwrite && std::filesystem::exists(asked))
      throw Error(
          fmt::format("{}: is there already and is left as it is; say --overwrite to replace it", asked));
    for (const std::string& file : read)
      if (is_one_file(asked, file))
        throw Error(fmt::format("--black-box {}: this command reads it; name another file", asked));
    return asked;
  }
  const std::filesystem::path folder = state_folder();
  std::error_code failed;
  if (!folder.empty()) std::filesystem::create_directories(folder, failed);
  if (!folder.empty() && !failed && access(folder.c_str(), W_OK) == 0) return folder / usual;
  fmt::print(stderr, "note: the run keeps no black box: {}\n",
             folder.empty() ? "neither XDG_STATE_HOME nor HOME is set"
                            : fmt::format("{} cannot be written to", folder.string()));
  return {};
}
