// Any bytes as they come in by a way in: lines, each an order that is read and looked at, or refused with
// why; and its answer is one line, as JSON too.
#include <cstdlib>

#include <nlohmann/json.hpp>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/hands/order_desk.hpp"
#include "cogstride/rig/files/read_rig.hpp"

namespace {

using cogstride::Operation;

void look_at(Operation& operation, const std::string& line) {
  cogstride::OrderLine read;
  Operation::Answer answer;
  try {
    read = cogstride::read_order(line);
    answer.words = operation.why_never(read.order);
  } catch (const cogstride::Error& error) {
    read.order = line.substr(0, cogstride::longest_order);
    answer = {Operation::Answer::Kind::refused, error.what(), 0};
    if (answer.words.empty()) std::abort();
  }
  const std::string json = cogstride::answer_line(read, answer, 1.5, true);
  if (json.find('\n') != std::string::npos) std::abort();
  if (!nlohmann::json::parse(json)["answer"].is_string()) std::abort();
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* bytes, std::size_t size) {
  static cogstride::SimulatedBench bench(cogstride::read_rig(COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml"));
  static Operation operation(bench, {COGSTRIDE_SOURCE_DIR "/demo", {}});
  const auto look = [](const std::string& line) { look_at(operation, line); };
  const std::string_view text(reinterpret_cast<const char*>(bytes), size);
  cogstride::LineSplitter lines;
  const std::size_t half = size / 2;
  lines.take(text.substr(0, half), look);
  lines.take(text.substr(half), look);
  lines.finish(look);
  return 0;
}
