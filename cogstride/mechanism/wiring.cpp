#include "cogstride/mechanism/wiring.hpp"

#include "cogstride/mechanism/boards.hpp"

namespace cogstride {
namespace {

class Lister {
 public:
  std::vector<BoardLine> lines{};

  void operator()(const StepDirWiring& wiring) {
    add("step", wiring.step, true);
    add("dir", wiring.dir);
    add("enable", wiring.enable);
    add("sleep", wiring.sleep);
    add("reset", wiring.reset);
    for (std::size_t i = 0; i < wiring.microstep_select.size(); ++i)
      add("microstep select " + std::to_string(i + 1), wiring.microstep_select[i]);
  }
  void operator()(const CoilWiring& wiring) {
    const char* const names[] = {"a_plus", "a_minus", "b_plus", "b_minus"};
    for (std::size_t i = 0; i < 4; ++i) add(names[i], wiring.coils[i]);
    add("enable", wiring.enable);
  }
  void operator()(const BridgeWiring& wiring) {
    const DutyLines carries = duty_lines(wiring);
    add("input_a", wiring.input_a, carries.inputs);
    add("input_b", wiring.input_b, carries.inputs);
    add("sign", wiring.sign);
    add("duty", wiring.duty, carries.duty);
    add("enable", wiring.enable, carries.enable);
  }
  void operator()(const GateWiring& wiring) {
    const char* const names[] = {"a_high", "a_low", "b_high", "b_low", "c_high", "c_low"};
    for (std::size_t i = 0; i < 6; ++i) add(names[i], wiring.gates[i], true);
    add("enable", wiring.enable);
  }
  void operator()(const PulseWidthWiring& wiring) { add("pulse", wiring.pulse, true); }
  void operator()(const BusWiring&) {}  // the bus is no line of the controller's

 private:
  void add(std::string use, const DrivenLine& line, bool timed = false) {
    lines.push_back({std::move(use), line, timed});
  }
  void add(std::string use, const std::optional<DrivenLine>& line, bool timed = false) {
    if (line) add(std::move(use), *line, timed);
  }
};

}  // namespace

DutyLines duty_lines(const BridgeWiring& wiring) {
  const bool coasts = wiring.decay == Decay::fast;
  if (wiring.sign) return {false, !coasts, coasts};
  if (wiring.duty) return {!coasts, coasts, false};
  return {!coasts, false, coasts};
}

std::vector<BoardLine> board_lines(const BoardWiring& wiring) {
  Lister lister;
  std::visit(lister, wiring);
  return std::move(lister.lines);
}

}  // namespace cogstride
