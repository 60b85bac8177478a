#include <fmt/format.h>

#include <cstdio>
#include <filesystem>

#include "cogstride/quantity/error.hpp"
#include "commands.hpp"

namespace fs = std::filesystem;

namespace {

/// The demo files that were installed beside this program; or, where it was built and not installed, those of
/// its sources.
fs::path installed_demo() {
  const fs::path folder = fs::read_symlink("/proc/self/exe").parent_path().parent_path();
  const fs::path beside = folder / "share/cogstride/demo";
  const fs::path of_sources = folder.parent_path() / "demo";
  return !fs::exists(beside) && fs::exists(of_sources / "bobbin.rig.toml") ? of_sources : beside;
}

void say(const std::string& words) {
  std::printf("\n$ cogstride %s\n", words.c_str());
  std::fflush(stdout);
}

}  // namespace

ExitStatus run_demo(const DemoOptions& options) {
  const fs::path from = options.from.empty() ? installed_demo() : fs::path(options.from);
  const std::string rig = (from / "bobbin.rig.toml").string();
  const std::string script = (from / "first.moves").string();
  if (!fs::exists(rig)) {
    throw cogstride::Error(
        fmt::format("{}: is not there; name the folder of the demo files with --from", rig));
  }
  const fs::path to = options.to;
  fs::create_directories(to);

  say(fmt::format("inspect {} traverse", rig));
  run_inspect({.rig = rig, .mechanism = "traverse"});

  const OutputOptions plan_files{(to / "plan.png").string(), (to / "plan.vcd").string(), "", "", true};
  say(fmt::format("plan {} traverse --to 85mm --plot {} --waves {}", rig, plan_files.plot, plan_files.waves));
  run_plan({.rig = rig,
            .mechanism = "traverse",
            .from = "",
            .to = "85mm",
            .speed = "",
            .acceleration = "",
            .outputs = plan_files});

  const OutputOptions files{(to / "first.png").string(), (to / "first.vcd").string(),
                            (to / "first.csv").string(), (to / "first.html").string(), true};
  say(fmt::format("rehearse {} {} --plot {} --waves {} --csv {} --report {}", rig, script, files.plot,
                  files.waves, files.csv, files.report));
  const ExitStatus status = run_rehearse({.rig = rig, .script = script, .start_at = {}, .outputs = files});

  std::printf(
      "\nleft in %s: figures (plan.png, first.png), waveforms (plan.vcd, first.vcd), signals (first.csv), "
      "all of it (first.html)\n",
      to.c_str());
  std::printf("\nnow by hand, on the simulated bench: cogstride operate %s\n", rig.c_str());
  return status;
}
