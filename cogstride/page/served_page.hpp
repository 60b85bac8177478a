// The page of a bench in a program of one's own:
//
//   RunWindow record;                                    // for its charts; a sink of the bench
//   SimulatedBench bench{rig, {.at_wall_clock = true, .trace = &record, .sample_period = 50_ms}};
//   ServedPage page(bench, {.window = &record});
//   print(page.links().front());                         // http://127.0.0.1:7480/
//   page.run();                                          // until somebody there orders `end`
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "cogstride/hands/order_desk.hpp"
#include "cogstride/page/page_server.hpp"
#include "cogstride/session/operation.hpp"

namespace cogstride {

/// Threads: the bench's, as all of it but the serving itself.
class ServedPage {
 public:
  /// @param bench  must outlive it @throws Error as PageServer
  explicit ServedPage(Bench& bench, PageServer::Options options = {})
      : bench_(bench),
        operation_(bench, {options.scripts, {}}),
        desk_(bench, operation_),
        server_(bench, operation_, desk_, std::move(options)) {}

  /// As PageServer's.
  [[nodiscard]] std::vector<std::string> links() const { return server_.links(); }
  /// Orders of the program's own go to the same session.
  [[nodiscard]] Operation& operation() { return operation_; }
  /// Lets the bench run until `end` is ordered, or `finished`; what turns then comes to rest.
  void run(const std::function<bool()>& finished = {}) {
    bench_.run(operation_, [&] { return operation_.has_ended() || (finished && finished()); });
    bench_.come_to_rest();
  }

 private:
  Bench& bench_;
  Operation operation_;
  OrderDesk desk_;
  PageServer server_;
};

}  // namespace cogstride
