#include "page_out.hpp"

#include <fmt/format.h>

#include <cstdio>

#include "code_text.hpp"
#include "cogstride/page/page_server.hpp"

using namespace cogstride;

namespace {

class Served final : public PageOut {
 public:
  Served(Bench& bench, Operation& operation, OrderDesk& desk, PageServer::Options options)
      : server_(bench, operation, desk, std::move(options)) {}
  [[nodiscard]] std::string address() const override { return server_.address(); }
  [[nodiscard]] std::string link() const override { return server_.links().front(); }
  [[nodiscard]] std::vector<std::string> links() const { return server_.links(); }

 private:
  PageServer server_;
};

}  // namespace

std::unique_ptr<PageOut> serve_page(Bench& bench, Operation& operation, OrderDesk& desk,
                                    const PageWanted& wanted) {
  PageServer::Options options;
  if (!wanted.listen.empty()) options.listen = wanted.listen;
  options.token = wanted.token;
  options.look_without_token = wanted.look_without_token;
  options.where = wanted.where;
  options.scripts = wanted.scripts;
  options.window = wanted.window;
  options.tell = wanted.tell;
  auto served = std::make_unique<Served>(bench, operation, desk, std::move(options));
  for (const std::string& link : served->links()) wanted.tell("the page is at " + link);
  const std::string address = served->address();
  if (address.starts_with("127.") || address.starts_with("[::1]")) return served;
  fmt::print(stderr, "{}", code_text(served->link()));
  if (!wanted.waits) return served;
  fmt::print(stderr, "Enter goes on to the view of this terminal ");
  for (int each = std::getchar(); each != '\n' && each != EOF;) each = std::getchar();
  return served;
}

void require_page() {}
