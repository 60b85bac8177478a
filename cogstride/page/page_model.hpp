// What the page is told of a rig at the start: what moves, how it looks, what a hand can do with it there and
// by which orders, and what cannot be done, with the reason. As JSON; docs/page.md has its form.
#pragma once

#include <string>

#include "cogstride/rig/findings/findings.hpp"
#include "cogstride/session/operation.hpp"

namespace cogstride {

/// @param operation  asked what could never be carried out; from the bench's thread
[[nodiscard]] std::string page_model(const Bench& bench, Operation& operation, const std::string& where);

}  // namespace cogstride
