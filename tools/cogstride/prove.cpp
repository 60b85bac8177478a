#include <fmt/format.h>
#include <fmt/ranges.h>
#include <poll.h>
#include <unistd.h>

#include <cstdio>
#include <optional>

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/files/output_file.hpp"
#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/plant/stepped_plant.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/change_rig.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/session/proving.hpp"
#include "commands.hpp"
#include "playing.hpp"

using namespace cogstride;
using namespace cogstride::literals;

namespace {

/// Answers, a line each, taken without holding up a bench whose time passes.
class Answers {
 public:
  /// The next line; nothing when none is there yet.
  std::optional<std::string> take(int wait_ms) {
    for (;;) {
      const std::size_t end = text_.find('\n');
      if (end != std::string::npos) {
        std::string line = text_.substr(0, end);
        text_.erase(0, end + 1);
        return line;
      }
      pollfd in{STDIN_FILENO, POLLIN, 0};
      if (poll(&in, 1, wait_ms) <= 0) return std::nullopt;
      char buffer[256];
      const ssize_t count = read(STDIN_FILENO, buffer, sizeof buffer);
      if (count <= 0) throw Error("nobody answers any more: all lines are at rest");
      text_.append(buffer, static_cast<std::size_t>(count));
    }
  }

 private:
  std::string text_;
};

/// The user, at a terminal.
class User final : public Bystander {
 public:
  User(const ProveOptions& options, const Rig& rig, std::vector<std::string> proven)
      : options_(options), mechanism_(mechanism_named(rig, options.mechanism)), proven_(std::move(proven)) {}

  void told(const std::string& words) override { say("  " + words + "\n"); }

  bool asked(Bench& bench, const std::string& question) override {
    show(bench);
    for (;;) {
      say("  " + question + " (yes/no) ");
      const std::string answer = wait_for_line(bench);
      echo(answer);
      if (answer == "y" || answer == "yes") return true;
      if (answer == "n" || answer == "no") return false;
      say(fmt::format("  '{}' is neither yes nor no.\n", answer));
    }
  }

  bool touches(Bench& bench, const PlaceSwitch& place_switch, bool acts,
               const std::function<bool()>& is_so) override {
    const std::string who = fmt::format("{} (line {})", place_switch.name, line_name(place_switch.line));
    if (SimulatedBench* const simulated = simulated_of(bench)) {
      simulated->touch(mechanism_.name, place_switch, acts);
      for (int i = 0; i < 100 && !is_so(); ++i) bench.serve(10_ms);
      say(fmt::format("  A finger {} {}: {}.\n", acts ? "makes" : "lets go of", acts ? who + " act" : who,
                      is_so() ? "seen" : "nothing is seen"));
      return is_so();
    }
    say(acts ? fmt::format("  Make {} act with a finger; answer no when nothing is seen ", who)
             : fmt::format("  Now let go of {} ", who));
    while (!is_so()) {
      bench.serve(20_ms);
      const auto answer = answers_.take(0);
      if (answer && (*answer == "n" || *answer == "no")) {
        echo(*answer);
        return false;
      }
    }
    say("seen\n");
    return true;
  }

  void proved(const std::string& stage) override {
    proven_.push_back(stage);
    say(fmt::format("right: {}\n\n", stage));
    keep();
  }

  void turned_round(bool reversed) override {
    say(fmt::format("  Turned round: mechanism.{}.reversed = {}{}\n", mechanism_.name, reversed,
                    options_.live ? ", written into the rig" : ""));
    if (!options_.live) return;
    (void)run_change({options_.rig, fmt::format("mechanism.{}.reversed", mechanism_.name),
                      reversed ? "true" : "false", true});
    keep();
  }

 private:
  /// Null for live lines.
  [[nodiscard]] SimulatedBench* simulated_of(Bench& bench) const {
    return options_.live ? nullptr : static_cast<SimulatedBench*>(&bench);
  }
  void say(const std::string& words) {
    std::fputs(words.c_str(), stdout);
    std::fflush(stdout);
  }
  /// An answer that came through a pipe does not stand on the terminal by itself.
  void echo(const std::string& answer) {
    if (isatty(STDIN_FILENO) == 0) say(answer + "\n");
  }
  std::string wait_for_line(Bench& bench) {
    const bool time_passes = options_.live;
    for (;;) {
      if (time_passes) bench.serve(20_ms);
      if (const auto line = answers_.take(time_passes ? 0 : -1)) return *line;
    }
  }
  /// What an eye would see of the simulated mechanism.
  void show(Bench& bench) {
    const SimulatedBench* const simulated = simulated_of(bench);
    if (simulated == nullptr) return;
    const OutputKind kind = output_kind(mechanism_.train);
    const bool is_on_bus = mechanism_.has_bus_drive();
    const double at = is_on_bus ? simulated->signal(mechanism_.name + ".made")
                                : simulated->plant(mechanism_.name).position() * display_units_per_base(kind);
    std::string currents;
    if (is_on_bus) {
      currents = fmt::format("its motor has {:.2f} A", simulated->signal(mechanism_.name + ".current"));
    } else {
      const SteppedPlant& plant = simulated->plant(mechanism_.name);
      currents = fmt::format("its windings have {:.2f} A and {:.2f} A", plant.current_a(), plant.current_b());
    }
    say(fmt::format("  simulated: the output stands at {:.3f} {}{}; {}\n", at, display_unit(kind, 0),
                    last_at_ ? fmt::format(", {:+.3f} since last asked", at - *last_at_) : "", currents));
    last_at_ = at;
  }
  void keep() {
    if (!options_.live) return;
    ChangedFile rig(options_.rig);
    rig.replace(proven_rig_text(rig.text(), options_.rig, mechanism_.name, proven_));
  }

  const ProveOptions& options_;
  const Mechanism& mechanism_;
  std::vector<std::string> proven_;
  Answers answers_{};
  std::optional<double> last_at_{};
};

void refuse_obstacles(const Rig& alone, const ProveOptions& options) {
  require_chips(options.rig, alone);
  for (const LiveObstacle& obstacle : live_obstacles(alone))
    throw Error(fmt::format("{}: {}: {}", options.rig, obstacle.mechanism, obstacle.why));
}

}  // namespace

ExitStatus run_prove(const ProveOptions& options) {
  const Rig rig = read_rig(options.rig);
  const Mechanism& mechanism = mechanism_named(rig, options.mechanism);
  if (!mechanism.has_bus_drive()) require_movable(mechanism);
  std::vector<std::string> before;
  if (options.live && !options.again && mechanism.proven && mechanism.proven->still_holds)
    before = mechanism.proven->stages;
  const Rig alone = rig_to_prove(rig, mechanism.name);
  if (options.live) refuse_obstacles(alone, options);
  fmt::print("{}: {}, {}\n", rig.name, mechanism.name,
             !options.live         ? "on the simulated bench: nothing is proven by that, --live does"
             : rig.controller.link ? fmt::format("by the chip at {}", rig.controller.link->port)
                                   : "on the lines of this computer");
  fmt::print("stages: {}\n", fmt::join(proving_stages(mechanism), ", "));
  if (!before.empty()) fmt::print("proven before, with the same parts: {}\n", fmt::join(before, ", "));
  fmt::print("Have the supply's switch at hand.\n\n");
  User user(options, rig, before);
  const OpenBench open = [&](const Rig& opened) -> std::unique_ptr<Bench> {
    if (options.live) return std::make_unique<LiveBench>(opened);
    SimulatedBench::Options simulated;
    simulated.actual = alone;  // also after it has been turned round
    return std::make_unique<SimulatedBench>(opened, simulated);
  };
  const ProvingResult result = prove(rig, mechanism.name, open, user, before);
  if (!result.failed.empty()) {
    fmt::print("not right: {}\n  {}\nEverything is at rest. {}", result.failed, result.look_at,
               result.proven.empty() ? "Nothing was right so far.\n"
                                     : fmt::format("Right so far: {}.\n", fmt::join(result.proven, ", ")));
    return ExitStatus::something_is_wrong;
  }
  fmt::print("All of {} is right{}\n", mechanism.name,
             options.live ? fmt::format(", and {} says so.", options.rig) : " on the simulated bench.");
  return ExitStatus::done;
}
