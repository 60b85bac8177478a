// By which names and addresses others reach this computer.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace cogstride {

/// Whether a request's host is an address or what this computer is called. A name that somebody else may let
/// point here is neither. @param host  "192.168.1.20:7480", "[::1]:7480", "localhost"
[[nodiscard]] bool names_this_computer(std::string_view host);
/// Addresses that others reach this computer by: "192.168.1.20".
[[nodiscard]] std::vector<std::string> addresses_of_this_computer();

}  // namespace cogstride
