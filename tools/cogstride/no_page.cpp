#include "page_out.hpp"

using namespace cogstride;

void require_page() {
  throw Error("--page: this command was built without it (COGSTRIDE_PAGE=OFF)");
}

std::unique_ptr<PageOut> serve_page(Bench&, Operation&, OrderDesk&, const PageWanted&) {
  require_page();
  return nullptr;
}
