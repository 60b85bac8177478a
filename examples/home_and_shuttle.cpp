// Finds the traverse's zero, then goes to and fro; a fault is said in words instead of being run over.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

int main(int count, char** words) try {
  const cogstride::Rig rig = cogstride::read_rig(count > 1 ? words[1] : "demo/bobbin.rig.toml");
  cogstride::SimulatedBench bench{rig};
  auto traverse = bench.stepper("traverse");
  bench.on_fault([](const std::string& why) { std::printf("fault: %s\n", why.c_str()); });

  if (const std::string fault = traverse.home().result(); !fault.empty()) return 1;
  std::printf("homed after %.2f s, stands at %s\n", bench.now().in(cogstride::units::s),
              to_text(*traverse.position()).c_str());
  for (int layer = 1; layer <= 3; ++layer) {
    traverse.move({.to = 92_mm, .speed = 40_mm_per_s}).wait();
    bench.serve(0.3_s);  // let the oscillation after the stop die away before turning round
    traverse.move({.to = 12_mm}).wait();
    bench.serve(0.3_s);
    std::printf("layer %d laid after %.2f s\n", layer, bench.now().in(cogstride::units::s));
  }
  std::printf("stands at %.3f mm, %lld microsteps lost\n", bench.signal("traverse.made"),
              static_cast<long long>(bench.verdict().of("traverse").figure("lost_microsteps")));
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
