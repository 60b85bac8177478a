// A page for a program of one's own: the yarn guide is moved from a browser while the program counts how far
// it has gone, and ends when that is enough.
#include <cmath>
#include <cogstride/cogstride.hpp>
#include <cogstride/page/served_page.hpp>
#include <cstdio>
#include <string>

using namespace cogstride;
using namespace cogstride::literals;

int main(int count, char** words) {
  const std::string rig_file = count > 1 ? words[1] : "demo/bobbin.rig.toml";
  const double enough = count > 2 ? std::stod(words[2]) : 1000.0;  // mm
  try {
    RunWindow record;
    SimulatedBench::Options options;
    options.at_wall_clock = true;
    options.trace = &record;
    options.sample_period = 50_ms;
    SimulatedBench bench{read_rig(rig_file), std::move(options)};

    PageServer::Options served;
    served.where = "a program of one's own";
    served.listen = count > 3 ? words[3] : PageServer::usual_address;
    served.window = &record;
    ServedPage page(bench, std::move(served));
    std::printf("open %s\n", page.links().front().c_str());
    std::fflush(stdout);

    double gone = 0.0;
    double before = bench.signal("traverse.made");
    page.run([&] {
      const double now = bench.signal("traverse.made");
      gone += std::abs(now - before);
      before = now;
      return gone >= enough;
    });
    std::printf("the guide has gone %.0f mm\n", gone);
  } catch (const Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
  }
}
