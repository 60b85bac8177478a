// What the page is told of a rig at the start: what moves, how it looks, what a hand can do with it there and
// by which orders, and what cannot be done, with the reason. As JSON; docs/page.md has its form.
#pragma once

#include <string>

#include "cogstride/rig/findings/findings.hpp"
#include "cogstride/session/operation.hpp"

namespace cogstride {

/// A script beside the rig.
struct PageScript {
  std::string file{};
  std::string wrong{};  ///< why it cannot be played; empty: it can
  double lasts = 0.0;   ///< s, of all that can be told ahead
  bool is_whole = true;
};

/// @param operation  asked what could never be carried out; from the bench's thread
[[nodiscard]] std::string page_model(const Bench& bench, Operation& operation, const std::string& where);
/// Those that lie in a folder, as they are now. From any thread.
[[nodiscard]] std::vector<PageScript> page_scripts(const std::string& folder, const Rig& rig);

}  // namespace cogstride
