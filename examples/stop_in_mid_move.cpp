// Three stops in mid-move: on a ramp, as hard as the motor can, and by the emergency stop, which somebody
// hits two seconds into the last move. After the first two the position is still known; after the third
// nobody claims to know it.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

int main(int count, char** words) try {
  const cogstride::Rig rig = cogstride::read_rig(count > 1 ? words[1] : "demo/bobbin.rig.toml");
  cogstride::SimulatedBench bench{
      rig, {.start_positions = {{"traverse", 3_mm}}, .events = {{12_s, "halt", true}}}};
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();

  for (const auto how : {cogstride::Braking::on_a_ramp, cogstride::Braking::steepest}) {
    auto move = traverse.move({.to = 110_mm});
    bench.serve(1_s);
    const cogstride::OutputPosition here = *traverse.position();
    traverse.stop(how);
    bench.serve(0.3_s);
    std::printf("%s: %.2f mm on, stands at %.3f mm, really at %.3f mm\n",
                how == cogstride::Braking::steepest ? "as hard as it can" : "on a ramp",
                1000 * (traverse.position()->base - here.base).to_double(),
                1000 * traverse.position()->base.to_double(), bench.signal("traverse.made"));
    traverse.move({.to = 5_mm}).wait();
    bench.serve(0.3_s);
  }
  bench.serve(10_s - bench.now());
  const std::string fault = traverse.move({.to = 110_mm, .speed = 20_mm_per_s}).result();
  std::printf("at %.3f s: %s\nposition %s\n", bench.now().in(cogstride::units::s), fault.c_str(),
              traverse.position() ? "known" : "not known: home it again");
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
