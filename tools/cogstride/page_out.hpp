// The page of `operate --page`. A command that was built without it refuses it here.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "cogstride/hands/access_token.hpp"
#include "cogstride/hands/order_desk.hpp"
#include "cogstride/trace/run_window.hpp"

struct PageWanted {
  std::string listen{};  ///< empty: this computer alone
  std::shared_ptr<cogstride::AccessToken> token{};
  bool look_without_token = false;
  std::string where{};
  std::string scripts{};
  const cogstride::RunWindow* window = nullptr;
  bool waits = false;  ///< for Enter, before a view covers what was printed
  std::function<void(const std::string&)> tell{};
};

class PageOut {
 public:
  virtual ~PageOut() = default;
  /// "127.0.0.1:7480"
  [[nodiscard]] virtual std::string address() const = 0;
  /// What a browser opens, the token in it.
  [[nodiscard]] virtual std::string link() const = 0;
};

/// Serves it and tells where; for others as a code that a phone's camera reads, too. All of it must outlive
/// it.
/// @throws cogstride::Error when it cannot be served, or was not built in
[[nodiscard]] std::unique_ptr<PageOut> serve_page(cogstride::Bench& bench, cogstride::Operation& operation,
                                                  cogstride::OrderDesk& desk, const PageWanted& wanted);
/// @throws cogstride::Error when it was not built in
void require_page();
