// What belongs to one run on live lines beside the bench: whether its script can be live, which rigs were
// driven before, and what its black box is of.
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

#include "cogstride/bench/live/black_box.hpp"
#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/session/script_run.hpp"

namespace cogstride {

/// What a run on live lines, or one that is played again, came to.
struct Driven {
  Verdict verdict{};
  LivePlay played{};  ///< how well its edges kept their times
  std::vector<TaughtLimit> taught{};
  std::int64_t compared = 0;  ///< played again: how often what was ordered was held against what was then
  std::string ends{};         ///< why it ends before its end; empty: it does not
};
/// Plays it to its end. @param play  as of rehearse()
/// @param opened  told of the bench before anything moves; may be empty
[[nodiscard]] Driven drive(const Rig& rig, const Script& script, LiveBench::Options options,
                           const std::function<PlayedScript(Bench&, ScriptPlayer&)>& play,
                           const std::function<void(LiveBench&)>& opened = {});

/// @throws Error, with file, line and column, when live lines cannot do what a statement asks
void require_live(const Script& script, const Rig& rig);

/// Where this user's states are kept, by the XDG Base Directory Specification; empty: nowhere.
[[nodiscard]] std::filesystem::path state_folder();

/// Rigs that were driven before, by what their files said.
class DrivenRigs {
 public:
  DrivenRigs();
  /// @param mark  fingerprint() of its text
  [[nodiscard]] bool has(std::uint64_t mark) const;
  void add(std::uint64_t mark) const;

 private:
  std::filesystem::path file_;
};

/// Of a run that begins now. @param script_file  empty: orders by hand. @param only  mechanisms; empty: all.
/// @throws Error when a file cannot be read
[[nodiscard]] BoxLabels box_labels(const std::string& rig_file, const std::string& script_file,
                                   const std::vector<std::string>& only);
/// The mechanisms that a box is of; empty: all of its rig.
[[nodiscard]] std::vector<std::string> only_of(const BlackBox& box);
/// @throws Error when a box is of another rig or script, or of these as they were before
void require_same_files(const BlackBox& box, const std::string& box_file, const std::string& rig_file,
                        const std::string& script_file);

}  // namespace cogstride
