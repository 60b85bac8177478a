// A device of one's own: a scale under the bobbin, read in a thread of its own, lays yarn until it is heavy
// enough. Its orders come in by post, between two acts of the bench; a key ends the winding sooner.
#include <atomic>
#include <chrono>
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <string>
#include <thread>

using namespace cogstride;
using namespace cogstride::literals;

namespace {

/// Stands for whatever reads the device: it says grams, a tenth of a second apart.
class Scale {
 public:
  template <class Say>
  explicit Scale(Say say)
      : thread_([this, say] {
          for (int grams = 0; grams <= 60 && !ends_.load(); grams += 5) {
            say(grams);
            std::this_thread::sleep_for(std::chrono::milliseconds(100));
          }
        }) {}
  ~Scale() {
    ends_.store(true);
    thread_.join();
  }

 private:
  std::atomic<bool> ends_{false};
  std::thread thread_;
};

}  // namespace

int main(int count, char** words) {
  const std::string rig_file = count > 1 ? words[1] : "demo/bobbin.rig.toml";
  try {
    SimulatedBench::Options options;
    options.at_wall_clock = true;  // time passes as fast as a clock, since the scale does not wait
    SimulatedBench bench{read_rig(rig_file), std::move(options)};
    auto traverse = bench.stepper("traverse");
    traverse.home().wait();

    int grams = 0;
    const Scale scale([&](int now) { bench.post("the scale", [&grams, now] { grams = now; }); });
    auto lay = traverse.move({.to = 92_mm, .speed = 20_mm_per_s});
    const auto pressed = [&] { return bench.inputs().acts(static_cast<LineId>(35)) == true; };
    const auto first = bench.wait_for_first({[&] { return grams >= 30; }, pressed}, 5_s);
    traverse.stop();
    std::printf("%s at %.1f mm\n",
                !first        ? "neither heavy enough nor told to end"
                : *first == 0 ? "heavy enough"
                              : "told to end",
                1e3 * traverse.position()->base.to_double());
  } catch (const Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
  }
}
